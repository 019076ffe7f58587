"""Serving until a signal comes: collector and web server start together and stop together."""

from __future__ import annotations

import socket
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor, as_completed
from typing import cast

import typer

from hardy_gauge import logs
from hardy_gauge.api.allowed_hosts import is_loopback
from hardy_gauge.capture.access import OPERATOR
from hardy_gauge.capture.collector import Collector
from hardy_gauge.capture.history_backfill import backfill
from hardy_gauge.capture.nearby import allow_stored
from hardy_gauge.capture.registration import RegisteredServer, Registration, discover, register
from hardy_gauge.core.time.clock import clock_us
from hardy_gauge.diagnose.worker import EVERY_S
from hardy_gauge.errors import InvalidInput
from hardy_gauge.probes import outbound
from hardy_gauge.probes.outbound import OutboundPolicy
from hardy_gauge.probes.protocol import ProbeError, RemembersPast
from hardy_gauge.settings import AppSettings
from hardy_gauge.store import hour_files, segments
from hardy_gauge.store.data_folder import locked
from hardy_gauge.store.database import Store
from hardy_gauge.store.who import anyone

IMPORTS_AT_A_TIME = 3
WORTH_SAYING_MINUTES = 60
HOURS = "hours"
SHARED_S = 5.0  # half of what a screen waits until it asks again
KEPT_ALIVE_S = 30  # a screen that follows the clock keeps its connection


def run(settings: AppSettings, on_ready: Callable[[], None] = lambda: None) -> None:
    """Register the servers named, import their history, then capture the whole fleet of the store and serve until
    SIGTERM or SIGINT.
    """
    if settings.demo and not is_loopback(settings.host):
        raise InvalidInput("host: the demo lets everyone in, so it listens on this machine alone", "host")
    if (settings.tls_cert is None) != (settings.tls_key is None):
        raise InvalidInput("tls_cert: a certificate and its key go together", "tls_cert")
    for path in filter(None, (settings.tls_cert, settings.tls_key)):
        if not path.is_file():
            raise InvalidInput(f"tls_cert: there is no file {path}", "tls_cert")
    logs.set_up(settings.log_format, settings.log_level)
    with locked(settings.data):
        _serve(settings, on_ready)


def _serve(settings: AppSettings, on_ready: Callable[[], None]) -> None:
    # with nearly all of the application behind them, which no other command needs
    import uvicorn

    from hardy_gauge.api.app import create_app

    store = Store(settings.store_path)
    outbound.use(OutboundPolicy.of(settings))
    with store.read() as session:
        allow_stored(session)
        files = hour_files.HourFiles(settings.data / HOURS, stamp=segments.stamp(session))
    hour_files.use(files)
    servers = register_all(store, settings.servers)
    import_history(store, servers)
    import_history(store, servers)  # the minutes that passed meanwhile
    collector = Collector(store, write_s=settings.write_every_s)
    collector.start()
    app = create_app(
        settings,
        store,
        poke=collector.poke,
        work=collector.work,
        look_of=collector.last_look,
        diagnose_every_s=EVERY_S,
        share_s=SHARED_S,
    )
    config = uvicorn.Config(
        app, host=settings.host, port=settings.port, log_level="warning",
        timeout_graceful_shutdown=3, timeout_keep_alive=KEPT_ALIVE_S, server_header=False, limit_concurrency=1000, ssl_certfile=settings.tls_cert, ssl_keyfile=settings.tls_key,
    )  # fmt: skip

    class Announced(uvicorn.Server):
        """Says where it is when it listens, and not before."""

        async def startup(self, sockets: list[socket.socket] | None = None) -> None:
            await super().startup(sockets)
            if not self.started:
                return
            on_ready()
            with store.read() as session:
                if not settings.demo and not anyone(session):
                    typer.echo(f"Nobody can sign in yet. The code for the first is {app.state.first_code}")

    try:
        Announced(config).run()
    finally:
        collector.stop()
        with store.read() as session:
            files.leave(segments.stamp(session))
        store.close()


def register_all(store: Store, bases: list[str], account: str = "") -> list[RegisteredServer]:
    """Servers behind every address: one server's own address, or one under which several answer. ``account`` is a name
    on the keyring.
    """
    found: list[RegisteredServer] = []
    for base in bases:
        try:
            several = base.startswith("http") and "/servers/" not in base
            addresses = discover(base) if several else [base]
            found += register(store, [Registration(address, account=account) for address in addresses], user=OPERATOR)
        except ProbeError as error:
            typer.echo(f"{base}: {error}", err=True)
            raise typer.Exit(2) from None
    return found


def import_history(store: Store, servers: list[RegisteredServer]) -> None:
    """Import history where a probe has some, several servers beside each other, with progress on the terminal."""
    waiting = [server for server in servers if "history" in server.identity.abilities]
    with ThreadPoolExecutor(IMPORTS_AT_A_TIME) as pool:
        done = {pool.submit(_import_one, store, server): server.name for server in waiting}
        for number, future in enumerate(as_completed(done), 1):
            if future.result():
                typer.echo(f"{done[future]}: history imported ({number} of {len(waiting)})", err=True)


def _import_one(store: Store, server: RegisteredServer) -> bool:
    """True when it was more than the minutes since the last time."""
    probe = cast(RemembersPast, server.probe)  # it has the ability history
    minutes = backfill(store, server.server_id, probe, server.identity, clock_us())
    return minutes > WORTH_SAYING_MINUTES
