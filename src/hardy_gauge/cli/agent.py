"""``hardy-gauge agent``: speak the probe protocol beside a server."""

from __future__ import annotations

import os
import secrets
from pathlib import Path
from typing import Annotated

import typer

from hardy_gauge.probes import outbound
from hardy_gauge.probes.opening import open_probe
from hardy_gauge.probes.outbound import Credential
from hardy_gauge.probes.protocol import ProbeError

SECRET = "HARDY_GAUGE_SECRET"
TOKEN = "HARDY_GAUGE_TOKEN"


def agent(
    target: Annotated[
        str, typer.Option(help="Address of the server, such as postgresql:///loans?host=/run/postgresql.")
    ],
    user: Annotated[str, typer.Option(help=f"Sign in as this user; the secret is taken from {SECRET}.")] = "",
    name: Annotated[str, typer.Option(help="What the server is called; by default as it calls itself.")] = "",
    data: Annotated[Path | None, typer.Option(help="Folder of its data, whose volume is watched.")] = None,
    log: Annotated[Path | None, typer.Option(help="Folder of its log, when that is another volume.")] = None,
    plain_text: Annotated[bool, typer.Option(help="The secret may be sent where nothing is encrypted.")] = False,
    port: Annotated[int, typer.Option(help="Port to listen on.")] = 8751,
    host: Annotated[str, typer.Option(help="Address to listen on.")] = "127.0.0.1",
) -> None:
    """Answer the probe protocol for a server on this machine, with the host's own figures; its password stays here.

    Example: hardy-gauge agent --target "postgresql:///loans?host=/run/postgresql" --user gauge --data /var/lib/postgresql

    The token that callers need is taken from HARDY_GAUGE_TOKEN, or made up and printed. Figures as OpenMetrics are
    under /metrics.
    """
    # with a web server behind them, which no other command needs
    import uvicorn

    from hardy_gauge.agent.app import Beside, create_agent
    from hardy_gauge.agent.host import Folder

    token = os.environ.get(TOKEN, "")
    if not token:
        token = secrets.token_urlsafe(24)
        typer.echo(f"The token is {token}")
    folders = [Folder("data", "data" if log else "both", data)] if data else []
    if log:
        folders.append(Folder("log", "log", log))
    try:
        secret = os.environ.get(SECRET, "")
        credential = Credential(user, secret, plain_text) if user or secret else None
        outbound.policy().name([target])
        probe = open_probe(target, credential)
        called = name or probe.identity().server
    except ProbeError as error:
        typer.echo(str(error), err=True)
        raise typer.Exit(2) from None
    typer.echo(f"{called} answers at http://{host}:{port}/servers/{called}")
    uvicorn.run(create_agent({called: Beside(probe, folders)}, token), host=host, port=port, log_level="warning")
    probe.close()
