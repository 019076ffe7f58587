"""The application: routers under /api, the built interface for everything else."""

from __future__ import annotations

import asyncio
import secrets
import threading
import time
from collections.abc import AsyncIterator, Callable
from contextlib import asynccontextmanager

from fastapi import APIRouter, FastAPI
from fastapi.responses import FileResponse
from fastapi.staticfiles import StaticFiles
from starlette.exceptions import HTTPException

from hardy_gauge import __version__
from hardy_gauge.api import (
    accounts,
    bundles,
    connections,
    find,
    findings,
    fleet,
    health,
    imports,
    ledger,
    people,
    plans,
    problems,
    reports,
    rules,
    servers,
    snapshots,
    statement,
    statements,
    storage,
    tape,
    trials,
)  # fmt: skip
from hardy_gauge.api.data import FIGURES, KEPT_US, Data
from hardy_gauge.api.guard import Guard
from hardy_gauge.api.importing import Importing
from hardy_gauge.api.volumes import volumes_of
from hardy_gauge.api.window import servers_in
from hardy_gauge.api.workers import Workers
from hardy_gauge.capture.imports import desk
from hardy_gauge.load.worker import mark_interrupted
from hardy_gauge.settings import AppSettings
from hardy_gauge.store.database import Store

RENEW_S = 2400.0
PAUSE_S = 0.1
LONGEST_WARMING_S = 8.0
ROUTERS = (
    health, fleet, tape, servers, ledger, statements, statement, plans, findings, trials, reports, find, connections,
    accounts, rules, bundles, imports, snapshots, storage, people,
)  # fmt: skip


def clock_us() -> int:
    return time.time_ns() // 1000


def _keep_warm(data: Data, stop: threading.Event, warm: threading.Event) -> None:
    """Have the usual ranges and storage growth ready before they are asked for; renew them before they are old."""
    while not stop.is_set():
        for server in servers_in(data, "fleet"):
            if stop.wait(PAUSE_S if warm.is_set() else 0):
                return
            data.renew_usual(server.id, FIGURES, data.clock() - KEPT_US // 2)
            volumes_of(data, server, data.clock())
        warm.set()
        stop.wait(RENEW_S)


def create_app(
    settings: AppSettings,
    store: Store,
    clock: Callable[[], int] = clock_us,
    poke: Callable[[], None] = lambda: None,
) -> FastAPI:
    """The application over an open store. ``clock`` is what "now" means to it; ``poke`` tells the collector that what
    is wanted has changed.
    """

    @asynccontextmanager
    async def lifespan(app: FastAPI) -> AsyncIterator[None]:
        mark_interrupted(store)
        desk.interrupted(store, settings.data / "incoming")
        stop, warm = threading.Event(), threading.Event()
        threading.Thread(target=_keep_warm, args=(app.state.data, stop, warm), daemon=True).start()
        await asyncio.to_thread(warm.wait, LONGEST_WARMING_S)
        yield
        stop.set()
        app.state.workers.stop()
        app.state.importing.close()

    app = FastAPI(
        title="Hardy Gauge", version=__version__, openapi_url="/api/openapi.json", docs_url=None, redoc_url=None,
        lifespan=lifespan,
    )  # fmt: skip
    app.state.data = Data(store, settings, clock)
    app.state.poke = poke
    app.state.workers = Workers(settings.data)
    app.state.importing = Importing(store, clock)
    app.state.otlp_lock, app.state.otlp_counted = threading.Lock(), {}
    app.state.first_code = secrets.token_urlsafe(9)
    app.state.sign_in_limits = people.SignInLimits()
    app.add_middleware(Guard, store=store, clock=clock)
    problems.install(app)
    api = APIRouter(prefix="/api")
    for module in ROUTERS:
        api.include_router(module.router)

    @api.get("/{path:path}", include_in_schema=False)
    def unknown(path: str) -> None:
        raise HTTPException(404, f"there is no /api/{path}")

    app.include_router(api)
    if (settings.web / "index.html").exists():
        app.mount("/assets", StaticFiles(directory=settings.web / "assets"))

        @app.get("/{path:path}", include_in_schema=False)
        def page(path: str) -> FileResponse:
            inside = (settings.web / path).resolve()
            whole = inside.is_relative_to(settings.web.resolve()) and inside.is_file()
            return FileResponse(inside if whole else settings.web / "index.html")

    return app
