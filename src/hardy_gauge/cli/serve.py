"""``hardy-gauge serve``: capture a fleet and serve the interface."""

from __future__ import annotations

from pathlib import Path
from typing import Annotated

import typer

from hardy_gauge.cli.options import Data
from hardy_gauge.cli.running import run
from hardy_gauge.settings import AppSettings


def serve(
    data: Data,
    port: Annotated[
        int,
        typer.Option(
            help="Port to listen on; 8642 by default.", default_factory=lambda: AppSettings().port, show_default=False
        ),
    ],
    host: Annotated[
        str,
        typer.Option(
            help="Address to listen on; 127.0.0.1 by default.",
            default_factory=lambda: AppSettings().host,
            show_default=False,
        ),
    ],
    server: Annotated[
        list[str] | None,
        typer.Option(
            help="Address of a probe (http://host:port/servers/name), or of several (http://host:port). May be repeated."
        ),
    ] = None,
    tls_cert: Annotated[Path | None, typer.Option(help="Certificate as PEM: answer over TLS alone.")] = None,
    tls_key: Annotated[Path | None, typer.Option(help="Key of the certificate as PEM.")] = None,
    allow_network: Annotated[
        list[str] | None,
        typer.Option(
            help="A network such as 127.0.0.0/8 in which servers may be although it is loopback or link-local. May be repeated."
        ),
    ] = None,
) -> None:
    """Capture the given servers and serve what was recorded, until stopped with Ctrl-C or SIGTERM.

    Example: hardy-gauge serve --server http://127.0.0.1:8741 --data data

    Servers that were connected before are recorded as before; more can be connected on the screens.
    """
    settings = AppSettings(data=data, port=port, host=host)
    settings.servers += server or []
    settings.allow_networks += allow_network or []
    settings.tls_cert, settings.tls_key = tls_cert or settings.tls_cert, tls_key or settings.tls_key
    scheme = "https" if settings.tls_cert else "http"
    run(settings, lambda: typer.echo(f"Hardy Gauge is at {scheme}://{host}:{port}"))
