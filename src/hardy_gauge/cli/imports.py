"""``hardy-gauge import``: files of open formats into a store, and out again."""

from __future__ import annotations

import io
import time
import zipfile
from pathlib import Path
from tempfile import TemporaryDirectory
from typing import Annotated, NoReturn

import typer
from pydantic import ValidationError
from sqlalchemy.orm import undefer

from hardy_gauge.capture.imports import import_service, reading, sandboxed_reading
from hardy_gauge.capture.imports.columns import Layout, Source, targets
from hardy_gauge.capture.imports.rejected_rows import ImportRefused, of_document
from hardy_gauge.cli.options import Data
from hardy_gauge.settings import AppSettings
from hardy_gauge.store.database import Store
from hardy_gauge.store.models import Import

app = typer.Typer(
    no_args_is_help=True,
    help="Imports: CSV, JSON Lines and Parquet, OpenMetrics, OTLP JSON, plans, folders of SQL.",
)
File = Annotated[Path, typer.Argument(help="A file, or a folder of SQL files.")]
Column = Annotated[list[str], typer.Option("--column", help="What a column is: duration=took:ms. Others are guessed.")]
MOST_SAID = 20


@app.command("preview")
def preview(file: File, column: Column = []) -> None:  # noqa: B006
    """Say what a file holds and how its columns would be read; nothing is stored.

    Example: hardy-gauge import preview slow.csv
    """
    with TemporaryDirectory() as folder:
        path = _whole(file, Path(folder))
        found = _look(path, file.name, column)
    typer.echo(f"{file}: {found.format}")
    if found.layout is not None:
        typer.echo(f"read as {found.layout.kind}{', counting up' if found.layout.cumulative else ''}")
        for name, source in found.layout.columns.items():
            typer.echo(f"  {name} = {source.column}{f' ({source.unit})' if source.unit else ''}")
        typer.echo(f"{found.rows_accepted} of the first {found.rows_looked_at} rows would be imported")
    if found.fault:
        _fail(f"{found.fault[0]}: {found.fault[1]}")
    for line, why in found.rejected.listed[:MOST_SAID]:
        typer.echo(f"  line {line}: {why}")


@app.command("run")
def run(
    data: Data,
    file: File,
    server: Annotated[str, typer.Option(help="The server that the figures are of; created if there is none.")] = "",
    cluster: Annotated[str, typer.Option(help="The cluster of a server that is created.")] = "imported",
    engine: Annotated[str, typer.Option(help="The engine of a server that is created.")] = "other",
    column: Column = [],  # noqa: B006
    whole: Annotated[bool, typer.Option(help="Every execution is there, not only those above a threshold.")] = False,
    cumulative: Annotated[bool | None, typer.Option(help="Figures of statements count up from row to row.")] = None,
    text: Annotated[str, typer.Option(help="The statement of a plan that does not say it itself.")] = "",
) -> None:
    """Import a file. What is stored already is not stored twice; rejected lines are named with the reason.

    Example: hardy-gauge import run slow.csv --server east --column duration=took:ms
    """
    now = time.time_ns() // 1000
    store = Store(AppSettings(data=data).store_path)
    with TemporaryDirectory() as folder:
        path = _whole(file, Path(folder))
        found = _look(path, file.name, column)
        more = {"whole": whole, **({} if cumulative is None else {"cumulative": cumulative})}
        layout = found.layout.model_copy(update=more) if found.layout else None
        try:
            wanted = reading.ImportRequest(
                format=found.format, server=server, cluster=cluster, engine=engine, layout=layout, text=text
            )
            sandboxed_reading.check(path, file.name, wanted)
        except ValidationError as error:
            first = error.errors()[0]
            _fail(f"{first['loc'][0]}: {first['msg']}")
        except ImportRefused as error:
            _fail(f"{error.field}: {error}")
        import_id = import_service.hand_in(store, file.name, path, "command line", now)
        import_service.run_import(store, import_id, path, wanted, now)
    with store.read() as session:
        row = session.get_one(Import, import_id, options=[undefer(Import.rejected)])
    store.close()
    if row.state != "done":
        _fail(row.detail)
    typer.echo(
        f"import {row.id}: {row.accepted} accepted{f' ({row.detail})' if row.detail else ''}, {row.rejected_count} rejected"
    )
    for line, why in list(of_document(row.rejected))[:MOST_SAID]:
        typer.echo(f"  line {line}: {why}")
    if row.rejected_count > MOST_SAID:
        typer.echo(f"  and {row.rejected_count - MOST_SAID} more")


@app.command("undo")
def undo(number: Annotated[int, typer.Argument(help="The import's number.")], data: Data) -> None:
    """Undo an import: delete everything that it stored.

    Example: hardy-gauge import undo 3
    """
    store = Store(AppSettings(data=data).store_path)
    try:
        import_service.undo(store, number)
    except ImportRefused as error:
        _fail(str(error))
    finally:
        store.close()
    typer.echo(f"import {number} is taken out")


def _look(path: Path, name: str, columns: list[str]) -> reading.Look:
    try:
        found = sandboxed_reading.look(path, name, {})
        if not columns or found.layout is None:
            return found
        chosen = {k: v for k, v in found.layout.columns.items()}
        for one in columns:
            target, equals, rest = one.partition("=")
            column, _, unit = rest.rpartition(":") if ":" in rest else (rest, "", "")
            if not equals or not column:
                _fail(f"--column {one}: TARGET=COLUMN or TARGET=COLUMN:UNIT was expected")
            chosen[target] = Source(column=column, unit=unit or _usual_unit(found.layout, target))
        return sandboxed_reading.look(path, name, {}, found.layout.model_copy(update={"columns": chosen}))
    except ImportRefused as error:
        _fail(str(error))


def _usual_unit(layout: Layout, target: str) -> str:
    known = targets(layout.kind).get(target)
    return {"time": "ISO 8601", "duration": "s"}.get(known.what, "") if known else ""


def _whole(file: Path, folder: Path) -> Path:
    """The file itself, or the SQL files of a folder in one archive."""
    if not file.is_dir():
        if not file.is_file():
            _fail(f"{file}: there is no such file")
        return file
    found, buffer = sorted(file.rglob("*.sql")), io.BytesIO()
    if not found:
        _fail(f"{file}: there is no .sql file in it")
    with zipfile.ZipFile(buffer, "w") as archive:
        for one in found:
            archive.write(one, str(one.relative_to(file)))
    made = folder / "folder"
    made.write_bytes(buffer.getvalue())
    return made


def _fail(words: str) -> NoReturn:
    typer.echo(words, err=True)
    raise typer.Exit(2)
