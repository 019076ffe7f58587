"""``hardy-gauge bundle``: open a bundle in a store, or write its series to files."""

from __future__ import annotations

from enum import StrEnum
from pathlib import Path
from typing import Annotated, NoReturn

import typer

from hardy_gauge.capture import bundles
from hardy_gauge.capture.bundle_parts import BadBundle
from hardy_gauge.cli.audit import as_operator
from hardy_gauge.cli.options import Data
from hardy_gauge.settings import AppSettings
from hardy_gauge.store.database import Store

app = typer.Typer(no_args_is_help=True, help="Files that carry what was recorded from one place to another.")
File = Annotated[Path, typer.Argument(help="A bundle, as `hardy-gauge capture --out` makes it.")]


class Form(StrEnum):
    parquet = "parquet"
    csv = "csv"


@app.command("open")
def open_(file: File, data: Data) -> None:
    """Take a bundle's servers into a store; `hardy-gauge serve --data` shows them.

    Example: hardy-gauge bundle open loans.bundle --data home
    """
    store = Store(AppSettings(data=data).store_path)
    try:
        with as_operator("bundle open", file.name):
            opened = bundles.open_in(store, _there(file))
    except BadBundle as error:
        _fail(str(error))
    finally:
        store.close()
    typer.echo(f"{', '.join(opened.servers)}: {'opened' if opened.new else 'were there already'}")


@app.command("export")
def export(
    file: File,
    to: Annotated[Path, typer.Option(help="Folder of the files; made if missing.")],
    form: Annotated[Form, typer.Option("--format", help="What the files are.")] = Form.parquet,
) -> None:
    """Write every series of a bundle to a file of its own.

    Example: hardy-gauge bundle export loans.bundle --to loans --format csv
    """
    try:
        written = bundles.export(_there(file), to, form.value)
    except BadBundle as error:
        _fail(str(error))
    for path in written:
        typer.echo(str(path))


def _there(file: Path) -> Path:
    if not file.is_file():
        _fail(f"{file}: there is no such file")
    return file


def _fail(words: str) -> NoReturn:
    typer.echo(words, err=True)
    raise typer.Exit(2)
