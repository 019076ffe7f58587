"""``hardy-gauge capture``: record servers without serving the interface."""

from __future__ import annotations

import time
from pathlib import Path
from typing import Annotated

import typer

from hardy_gauge.capture.collector import Collector
from hardy_gauge.cli.running import enrol_all
from hardy_gauge.core.units import duration
from hardy_gauge.store import segments
from hardy_gauge.store.database import Store


def capture(
    server: Annotated[
        list[str], typer.Option(help="Address of a probe, or of several under one base. May be repeated.")
    ],
    for_: Annotated[str, typer.Option("--for", help="How long, such as 60s or 5min.")] = "60s",
    data: Annotated[Path, typer.Option(help="Folder of the store; made if missing.")] = Path("data"),
) -> None:
    """Record the servers for a while into a store that `hardy-gauge serve --data` opens later.

    Example: hardy-gauge capture --server http://127.0.0.1:8741 --for 5min --data data
    """
    try:
        seconds = float(duration(for_))  # type: ignore[arg-type]
    except ValueError as error:
        typer.echo(f"--for: {error}", err=True)
        raise typer.Exit(2) from None
    store = Store(data / "hardy-gauge.db")
    servers = enrol_all(store, server)
    collector = Collector(store, [s.server_id for s in servers])
    collector.start()
    try:
        time.sleep(seconds)
    except KeyboardInterrupt:
        typer.echo("stopping early; what was recorded is kept", err=True)
    collector.stop()
    with store.read() as session:
        ids = [s.server_id for s in servers]
        for kind in segments.KINDS:
            rows = len(segments.read(session, ids, kind, 0, 2**62))
            typer.echo(f"{kind}: {rows} rows")
    store.close()
