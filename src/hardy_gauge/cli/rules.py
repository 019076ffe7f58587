"""``hardy-gauge rules``: capture rules from and to a file."""

from __future__ import annotations

import time
from pathlib import Path
from typing import Annotated

import typer

from hardy_gauge.capture.rules import BadRule, as_yaml, read_yaml
from hardy_gauge.capture.wanted import replace_rules, rules_of
from hardy_gauge.settings import AppSettings
from hardy_gauge.store.database import Store

app = typer.Typer(no_args_is_help=True, help="Capture rules: what is recorded of which servers.")
Data = Annotated[Path, typer.Option(help="Folder of the store.")]


@app.command("apply")
def apply(
    file: Annotated[Path, typer.Argument(help="Rules as YAML; see docs/capture.md.")], data: Data = Path("data")
) -> None:
    """Follow the rules of a file instead of those there are; a running application takes them up within seconds.

    Example: hardy-gauge rules apply rules.yaml --data data
    """
    try:
        found = read_yaml(file.read_text(encoding="utf-8"))
    except (OSError, UnicodeDecodeError) as error:
        typer.echo(f"{file}: {error}", err=True)
        raise typer.Exit(2) from None
    except BadRule as error:
        typer.echo(str(error), err=True)
        raise typer.Exit(2) from None
    store = Store(AppSettings(data=data).store_path)
    replace_rules(store, found, time.time_ns() // 1000)
    store.close()
    typer.echo(f"{len(found)} rule{'' if len(found) == 1 else 's'} followed")


@app.command("show")
def show(data: Data = Path("data")) -> None:
    """Print the rules that are followed as YAML."""
    store = Store(AppSettings(data=data).store_path)
    with store.read() as session:
        typer.echo(as_yaml(rules_of(session)), nl=False)
    store.close()
