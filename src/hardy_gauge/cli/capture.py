"""``hardy-gauge capture``: record servers for a while, into a store or into a bundle."""

from __future__ import annotations

import os
import tempfile
import time
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Annotated

import typer

from hardy_gauge.capture import bundles
from hardy_gauge.capture.collector import Collector
from hardy_gauge.cli.options import Data
from hardy_gauge.cli.running import register_all
from hardy_gauge.core.figures.units import duration
from hardy_gauge.core.time.clock import clock_us
from hardy_gauge.probes import outbound
from hardy_gauge.store import segments
from hardy_gauge.store.data_folder import locked
from hardy_gauge.store.database import Store
from hardy_gauge.store.keyring import Keyring
from hardy_gauge.store.models import Account

SECRET = "HARDY_GAUGE_SECRET"


def capture(
    data: Data,
    target: Annotated[list[str], typer.Option(help="Address of a server, or of a probe. May be repeated.")],
    for_: Annotated[str, typer.Option("--for", help="How long, such as 60s or 5min.")] = "60s",
    out: Annotated[Path | None, typer.Option(help="Write a bundle to this file and keep no store.")] = None,
    user: Annotated[str, typer.Option(help=f"Sign in as this user; the secret is taken from {SECRET}.")] = "",
    plain_text: Annotated[bool, typer.Option(help="The secret may be sent where nothing is encrypted.")] = False,
) -> None:
    """Record servers for a while without serving the interface.

    Example: hardy-gauge capture --target postgresql://db:5432/loans --user gauge --for 60s --out loans.bundle

    With --out it needs nothing but the servers; open the file with `hardy-gauge bundle open`.
    """
    try:
        seconds = float(duration(for_))  # type: ignore[arg-type]
    except ValueError as error:
        typer.echo(f"--for: {error}", err=True)
        raise typer.Exit(2) from None
    with _folder(data, out is not None) as folder, locked(folder):
        _capture(folder, target, user, seconds, plain_text, out)


def _capture(folder: Path, target: list[str], user: str, seconds: float, plain_text: bool, out: Path | None) -> None:
    store = Store(folder / "hardy-gauge.db")
    ids, since = _record(store, target, user, seconds, plain_text)
    if out is not None:
        content = bundles.write(store, ids, since, clock_us(), clock_us())
        out.write_bytes(content)
        typer.echo(f"{out}: {len(content):,} bytes")
    with store.read() as session:
        for kind in segments.KINDS:
            rows = len(segments.read(session, ids, kind, since, 2**62))
            typer.echo(f"{kind}: {rows} rows")
    store.close()


@contextmanager
def _folder(data: Path, throwaway: bool) -> Iterator[Path]:
    if not throwaway:
        yield data
        return
    with tempfile.TemporaryDirectory(prefix="hardy-gauge-") as made:
        yield Path(made)


def _record(store: Store, targets: list[str], user: str, seconds: float, plain_text: bool) -> tuple[list[int], int]:
    """Ids of the servers recorded, and from when. A last look at the counters closes the interval that was begun."""
    account = ""
    if user:
        account = f"{user} of the command line"
        with store.write() as session:
            secret = Keyring(store.path.parent).close(os.environ.get(SECRET, ""))
            session.add(Account(
                name=account, user=user, secret=secret, groups=[], hosts=[], changed_us=clock_us(), plain_text=plain_text,
            ))  # fmt: skip
    outbound.policy().name(targets)
    servers = register_all(store, targets, account)
    ids = [server.server_id for server in servers]
    for server in servers:
        server.probe.close()
    since = clock_us() // 60_000_000 * 60_000_000
    collector = Collector(store, ids)
    collector.start()
    try:
        time.sleep(seconds)
    except KeyboardInterrupt:
        typer.echo("stopping early; what was recorded is kept", err=True)
    collector.stop(last_look=True)
    return ids, since
