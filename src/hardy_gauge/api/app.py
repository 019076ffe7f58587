"""The application: routers under /api, the built interface for everything else."""

from __future__ import annotations

import asyncio
import secrets
from collections.abc import AsyncIterator, Callable
from contextlib import asynccontextmanager

from fastapi import APIRouter, FastAPI
from fastapi.responses import FileResponse
from starlette.exceptions import HTTPException

from hardy_gauge import __version__
from hardy_gauge.api import (
    accounts,
    bundles,
    capture_rules,
    changes,
    connections,
    figures,
    findings,
    fleet,
    handbook,
    health,
    imports,
    index_set,
    ledger,
    log,
    myself,
    otlp,
    people,
    pins,
    plans,
    problems,
    provider,
    recurrences,
    reports,
    sessions,
    sheets,
    sign_in,
    snapshots,
    storage,
    strips,
    texts,
    trial_executions,
    trials,
    workloads,
)  # fmt: skip
from hardy_gauge.api.allowed_hosts import AllowedHosts
from hardy_gauge.api.authorisation import Authorisation
from hardy_gauge.api.body_limits import BodyLimits
from hardy_gauge.api.openapi_document import describe
from hardy_gauge.api.own_metrics import OwnMetrics
from hardy_gauge.api.request_tracking import RequestTracking
from hardy_gauge.api.shared_answers import SharedAnswers
from hardy_gauge.api.sign_in_limits import PasswordPool, SignInLimits
from hardy_gauge.api.static_files import BuiltFiles
from hardy_gauge.api.workers import Workers
from hardy_gauge.capture.imports import import_service
from hardy_gauge.capture.imports.import_queue import ImportQueue
from hardy_gauge.capture.imports.incoming import IncomingFiles
from hardy_gauge.capture.imports.otlp_receiver import OtlpReceiver
from hardy_gauge.core.activity.capture_work import CaptureWork
from hardy_gauge.core.time.clock import clock_us
from hardy_gauge.diagnose.past import PastDiagnoser
from hardy_gauge.diagnose.worker import DiagnosisWorker
from hardy_gauge.load.postgres.way_back import WayBackWorker
from hardy_gauge.load.worker import mark_interrupted
from hardy_gauge.queries.now import LookOf
from hardy_gauge.queries.own_health import OwnHealth
from hardy_gauge.queries.reader import Reader
from hardy_gauge.queries.warm import Warmer
from hardy_gauge.sandbox.process import remove_leftovers
from hardy_gauge.settings import AppSettings
from hardy_gauge.store.backup_schedule import BackupWorker
from hardy_gauge.store.database import Store

LONGEST_WARMING_S = 1.0
ROUTERS = (
    health, sign_in, provider, myself, people, fleet, sheets, ledger, sessions, plans, pins, index_set, texts, trials, trial_executions, workloads, reports, connections, accounts, figures, capture_rules,
    bundles, imports, otlp, snapshots, storage, findings, changes, strips, log, recurrences, handbook,
)  # fmt: skip


def _provider(settings: AppSettings) -> object | None:
    """Through whom people sign in; what it stands on is only loaded where there is one."""
    if not settings.oidc_issuer:
        return None
    from hardy_gauge.api.openid import OpenIdProvider

    return OpenIdProvider(settings)


def create_app(
    settings: AppSettings,
    store: Store,
    clock: Callable[[], int] = clock_us,
    poke: Callable[[], None] = lambda: None,
    work: Callable[[], CaptureWork] | None = None,
    look_of: LookOf = lambda server_id: None,
    diagnose_every_s: float | None = None,
    share_s: float = 0.0,
) -> FastAPI:
    """The application over an open store. ``clock`` is what "now" means to it; ``poke`` lets the collector know that what
    is to be captured has changed, ``work`` is what it counts of itself, ``look_of`` its last look at a server's sessions; servers are diagnosed in the background every
    ``diagnose_every_s``, None for never; ``share_s`` is the longest that an answer which many share holds while only what is
    recorded changes.
    """
    reader = Reader(store, clock)
    incoming = settings.data / "incoming"
    queue = ImportQueue(store, clock)
    warmer = Warmer(reader)
    backups = BackupWorker(store, settings, clock)
    ways_back = WayBackWorker(store, clock)
    worker = None if diagnose_every_s is None else DiagnosisWorker(reader, diagnose_every_s)

    @asynccontextmanager
    async def lifespan(app: FastAPI) -> AsyncIterator[None]:
        remove_leftovers()
        mark_interrupted(store)
        ways_back.start()
        import_service.interrupted(store, incoming)
        warmer.start()
        await asyncio.to_thread(warmer.ready.wait, LONGEST_WARMING_S)
        if worker is not None:
            worker.start()
        backups.start()
        yield
        backups.stop()
        warmer.stop()
        if worker is not None:
            await asyncio.to_thread(worker.stop)
        await asyncio.to_thread(past.stop)
        app.state.workers.stop()
        ways_back.stop()
        queue.close()
        app.state.passwords.close()

    app = FastAPI(
        title="Hardy Gauge", version=__version__, openapi_url="/api/openapi.json", docs_url=None, redoc_url=None,
        lifespan=lifespan,
    )  # fmt: skip
    app.state.reader, app.state.settings, app.state.poke, app.state.look_of = reader, settings, poke, look_of
    app.state.past = past = PastDiagnoser(reader)
    app.state.workers = workers = Workers(store, settings)
    app.state.warmer = warmer
    app.state.own_health = own = OwnHealth(reader, settings, work, lambda: workers.running)
    app.state.own_metrics = OwnMetrics(own.figures)
    app.state.incoming = IncomingFiles(store, incoming, queue)
    app.state.otlp = OtlpReceiver(store)
    app.state.provider = _provider(settings)
    app.state.first_code = secrets.token_urlsafe(9)
    app.state.sign_in_limits, app.state.passwords = SignInLimits(), PasswordPool()
    app.add_middleware(SharedAnswers, store=store, clock=clock, longest_s=share_s)
    app.add_middleware(BodyLimits)
    app.add_middleware(
        Authorisation, store=store, clock=clock, confirms=not settings.demo, factor_of=settings.second_factor_of
    )
    app.add_middleware(AllowedHosts, host=settings.host, names=settings.allowed_hosts)
    app.add_middleware(RequestTracking, metrics=app.state.own_metrics)
    problems.install(app)
    api = APIRouter(prefix="/api")
    for module in ROUTERS:
        api.include_router(module.router)

    @api.get("/{path:path}", include_in_schema=False)
    def unknown(path: str) -> None:
        raise HTTPException(404, f"there is no /api/{path}")

    app.include_router(api)
    app.include_router(health.root)
    describe(app)
    if (settings.web / "index.html").exists():
        app.mount("/assets", BuiltFiles(directory=settings.web / "assets"))

        @app.get("/{path:path}", include_in_schema=False)
        def page(path: str) -> FileResponse:
            inside = (settings.web / path).resolve()
            whole = inside.is_relative_to(settings.web.resolve()) and inside.is_file()
            found = inside if whole else settings.web / "index.html"
            return FileResponse(found, headers={"cache-control": "no-cache"})  # asked for again, sent where it changed

    return app
