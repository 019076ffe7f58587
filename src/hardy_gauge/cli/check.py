"""``hardy-gauge check``: statements in files, for people and for build pipelines."""

from __future__ import annotations

import json
from collections.abc import Iterator
from contextlib import closing
from dataclasses import asdict
from enum import StrEnum
from pathlib import Path
from typing import Annotated, Any

import typer
from pydantic import TypeAdapter, ValidationError

from hardy_gauge import __version__
from hardy_gauge.cli.options import Data
from hardy_gauge.core.checks.files import FileFinding, as_text, check_text, fails, without_known
from hardy_gauge.core.checks.sarif import sarif
from hardy_gauge.core.checks.schema_text import tables_of
from hardy_gauge.core.checks.statement import TableShape
from hardy_gauge.errors import GaugeError, InvalidInput
from hardy_gauge.queries.recorded_schema import recorded_schema
from hardy_gauge.settings import AppSettings
from hardy_gauge.store.database import Store

KNOWN = TypeAdapter(list[FileFinding])
MOST_BYTES = 32 * 2**20


class Format(StrEnum):
    text = "text"
    json = "json"
    sarif = "sarif"


class FailFrom(StrEnum):
    note = "note"
    plan = "plan"
    act = "act"


def check(
    paths: Annotated[list[Path], typer.Argument(help="Files of SQL, or folders in which every *.sql is read.")],
    data: Data,
    schema: Annotated[
        Path | None, typer.Option(help="A file that defines the tables, so that types and nulls are known.")
    ] = None,
    server: Annotated[str, typer.Option(help="A server of the fleet whose recorded schema is used.")] = "",
    style: Annotated[Format, typer.Option("--format", help="How findings are printed.")] = Format.text,
    baseline: Annotated[
        Path | None, typer.Option(help="Findings of before, as --format json printed them: they are left out.")
    ] = None,
    fail_from: Annotated[FailFrom, typer.Option(help="The grade from which on the exit code is 1.")] = FailFrom.plan,
    dialect: Annotated[str, typer.Option(help="The SQL it is written in.")] = "postgres",
) -> None:
    """Say what is wrong with statements. Exit 0: nothing from the grade on; 1: something; 2: it could not be done.

    Example: hardy-gauge check migrations queries/report.sql --schema schema.sql --format sarif
    """
    try:
        tables = _tables(schema, server, dialect, data)
        known = _known(baseline)
        found = [one for name, text in _texts(paths) for one in check_text(name, text, dialect, tables)]
    except GaugeError as error:
        _fail(style, str(error), error.field)
        return
    found = without_known(found, known)
    typer.echo(_printed(found, style))
    if fails(found, fail_from.value):
        raise typer.Exit(1)


def _texts(paths: list[Path]) -> Iterator[tuple[str, str]]:
    for path in paths:
        if not path.exists():
            raise InvalidInput(f"{path}: there is no such file", "paths")
        for file in sorted(path.rglob("*.sql")) if path.is_dir() else [path]:
            yield file.as_posix(), _read(file, "paths")


def _read(file: Path, field: str) -> str:
    try:
        if file.stat().st_size > MOST_BYTES:
            raise InvalidInput(f"{file}: larger than {MOST_BYTES:,} bytes", field)
        return file.read_text(encoding="utf-8-sig")
    except OSError as error:
        raise InvalidInput(f"{file}: {error.strerror}", field) from error
    except UnicodeDecodeError as error:
        raise InvalidInput(f"{file}: it is no UTF-8 text", field) from error


def _tables(schema: Path | None, server: str, dialect: str, data: Path) -> dict[str, TableShape]:
    if schema is not None and server:
        raise InvalidInput("server: give either a file of definitions or a server", "server")
    if schema is not None:
        return tables_of(_read(schema, "schema"), dialect)
    return _recorded(server, data) if server else {}


def _recorded(name: str, data: Path) -> dict[str, TableShape]:
    path = AppSettings(data=data).store_path
    if not path.exists():
        raise InvalidInput(f"data: there is nothing recorded in {data}", "data")
    with closing(Store(path)) as store:
        return recorded_schema(store, name)


def _known(baseline: Path | None) -> list[FileFinding]:
    if baseline is None:
        return []
    try:
        return KNOWN.validate_json(_read(baseline, "baseline"))
    except ValidationError as error:
        first = error.errors()[0]
        where = ".".join(str(part) for part in first["loc"])
        raise InvalidInput(
            f"baseline: {baseline} is not what --format json prints: {where}: {first['msg']}", "baseline"
        ) from error


def _printed(found: list[FileFinding], style: Format) -> str:
    if style is Format.json:
        return json.dumps([asdict(one) for one in found], indent=1)
    if style is Format.sarif:
        return json.dumps(sarif(found, __version__), indent=1)
    return as_text(found)


def _fail(style: Format, detail: str, field: str) -> None:
    problem: dict[str, Any] = {"title": "The check cannot run", "status": 422, "detail": detail, "field": field}
    if style is Format.text:
        typer.echo(detail, err=True)
    else:
        typer.echo(json.dumps(problem))
    raise typer.Exit(2)
