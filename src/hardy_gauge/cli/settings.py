"""``hardy-gauge settings``: what is set on the screens of Setup, from and to a file."""

from __future__ import annotations

import time
from pathlib import Path
from typing import Annotated

import typer

from hardy_gauge.capture.settings_file import BadSettings, as_set, read
from hardy_gauge.capture.settings_file import apply as follow
from hardy_gauge.cli.audit import as_operator
from hardy_gauge.cli.options import Data
from hardy_gauge.settings import AppSettings
from hardy_gauge.store.database import Store

app = typer.Typer(no_args_is_help=True, help="Capture rules, limits, the snapshot schedule and servers, as a file.")


@app.command("apply")
def apply(file: Annotated[Path, typer.Argument(help="Settings as YAML; see docs/capture.md.")], data: Data) -> None:
    """Set what a file says, all of it or nothing; a running application follows within seconds.

    Example: hardy-gauge settings apply gauge.yaml --data data
    """
    store = None
    try:
        found = read(file.read_text(encoding="utf-8"))
        store = Store(AppSettings(data=data).store_path)
        with as_operator("settings apply", file.name):
            follow(store, found, time.time_ns() // 1000)
    except (OSError, UnicodeDecodeError) as error:
        typer.echo(f"{file}: {error}", err=True)
        raise typer.Exit(2) from None
    except BadSettings as error:
        typer.echo(str(error), err=True)
        raise typer.Exit(2) from None
    finally:
        if store is not None:
            store.close()
    typer.echo(f"followed: {', '.join(found.parts)}")


@app.command("show")
def show(data: Data) -> None:
    """Print everything that is set as YAML."""
    store = Store(AppSettings(data=data).store_path)
    with store.read() as session:
        typer.echo(as_set(session), nl=False)
    store.close()
