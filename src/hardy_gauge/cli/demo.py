"""``hardy-gauge demo``: the practice fleet and the application over it."""

from __future__ import annotations

import signal
import socket
import subprocess
import sys
import time
from pathlib import Path
from types import FrameType
from typing import Annotated

import httpx
import typer

from hardy_gauge.cli.running import run
from hardy_gauge.settings import AppSettings

START_S = 60.0


def demo(
    port: Annotated[int, typer.Option(help="Port to listen on.")] = 8642,
    data: Annotated[Path, typer.Option(help="Folder of the demo's data; the same folder goes on where it was.")] = Path(
        "data/demo"
    ),
) -> None:
    """Start a made-up library consortium's servers, with weeks of history and a trouble to find, and serve them.

    The first start makes the history, which takes a minute or two; later starts take seconds.
    Stop it with Ctrl-C or SIGTERM.
    """
    signal.signal(signal.SIGTERM, _stop)
    data.mkdir(parents=True, exist_ok=True)
    practice_port = _free_port()
    executable = Path(sys.executable).with_name("hardy-gauge-practice")
    command = [str(executable), "serve", "--port", str(practice_port), "--state", str(data / "practice.json")]
    fleet = subprocess.Popen(command)
    base = f"http://127.0.0.1:{practice_port}"
    try:
        _wait(base, fleet)
        settings = AppSettings(data=data, port=port, host="127.0.0.1", servers=[base], demo=True)
        run(settings, lambda: typer.echo(f"Hardy Gauge is at http://127.0.0.1:{port}"))
    finally:
        fleet.terminate()
        fleet.wait(timeout=10)


def _stop(_: int, __: FrameType | None) -> None:
    raise typer.Exit(0)


def _free_port() -> int:
    with socket.socket() as probe:
        probe.bind(("127.0.0.1", 0))
        return int(probe.getsockname()[1])


def _wait(base: str, fleet: subprocess.Popen[bytes]) -> None:
    began = time.monotonic()
    while time.monotonic() - began < START_S:
        if fleet.poll() is not None:
            raise typer.Exit(1)
        try:
            httpx.get(f"{base}/servers", trust_env=False, timeout=2)
            return
        except httpx.HTTPError:
            time.sleep(0.1)
    typer.echo("the practice fleet did not start within a minute", err=True)
    raise typer.Exit(1)
