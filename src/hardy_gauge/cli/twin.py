"""``hardy-gauge twin``: an empty copy that plans as a server does, and what its planner would do if something were otherwise."""

from __future__ import annotations

import json
from dataclasses import asdict
from pathlib import Path
from typing import Annotated, Any

import typer

from hardy_gauge.cli.facts_given import facts_given
from hardy_gauge.cli.failing import fail
from hardy_gauge.cli.options import Data
from hardy_gauge.core.figures.formatting import size
from hardy_gauge.core.narrative.plan import expected_rows
from hardy_gauge.core.plans.readers import read_plan
from hardy_gauge.core.plans.sheet import plan_sheet
from hardy_gauge.core.sql.split import split
from hardy_gauge.errors import GaugeError, InvalidInput
from hardy_gauge.lab.twin.asking import MadeUpIndex, WhatIf, open_twin
from hardy_gauge.lab.twin.make import make_twin, read_description, remove_twin

app = typer.Typer(no_args_is_help=True, help="What a PostgreSQL's planner would do, without touching that server.")
Folder = Annotated[Path, typer.Argument(help="A twin's folder, as `hardy-gauge twin make` makes it.")]
AsJson = Annotated[bool, typer.Option("--json", help="Print JSON instead of words.")]
MOST_BYTES = 32 * 2**20


@app.command()
def make(
    out: Annotated[Path, typer.Option(help="The twin's folder: empty, or made.")],
    data: Data,
    server: Annotated[str, typer.Option(help="A server of the fleet; with --bundle one of the bundle.")] = "",
    bundle: Annotated[Path | None, typer.Option(help="A bundle, instead of the fleet.")] = None,
    as_json: AsJson = False,
) -> None:
    """Make the twin of a server: its tables without rows, with its statistics, sizes and settings.

    Example: hardy-gauge twin make --server reading-room --out twin
    """
    try:
        name, facts = facts_given(data, server, bundle, "twin make")
        made = make_twin(facts, name, out)
    except GaugeError as error:
        fail(error, as_json)
    if as_json:
        typer.echo(json.dumps(asdict(made), indent=2))
        return
    typer.echo(
        f"{out}: the twin of {name} with {made.tables} tables and {made.indexes} indexes, by PostgreSQL {made.major}"
    )
    for caution in made.cautions:
        typer.echo(f"  {caution}")


@app.command()
def explain(
    folder: Folder,
    sql: Annotated[Path, typer.Option(help="A file of statements.")],
    index: Annotated[
        list[str] | None, typer.Option(help='An index that is not there: "table(a, b)". May be repeated.')
    ] = None,
    drop: Annotated[list[str] | None, typer.Option(help="An index that is not used. May be repeated.")] = None,
    setting: Annotated[list[str] | None, typer.Option(help="name=value of a setting. May be repeated.")] = None,
    rows: Annotated[
        list[str] | None, typer.Option(help='A table that is larger: "table=×10". May be repeated.')
    ] = None,
    as_json: AsJson = False,
) -> None:
    """Print the plan of each statement as the server would choose it, or as it would be with something otherwise.

    Example: hardy-gauge twin explain twin --sql report.sql --index "loan(patron, due)" --rows loan=×10
    """
    try:
        cuts = split(_text(sql))
        if not cuts:
            raise InvalidInput(f"sql: {sql} holds no statement", "sql")
        given = WhatIf(
            index or [], drop or [], dict(_pair(one, "setting") for one in setting or []),
            {table: _factor(value) for table, value in (_pair(one, "rows") for one in rows or [])},
        )  # fmt: skip
        described = read_description(folder)
        with open_twin(folder) as twin, twin.what_if(given) as made:
            answers = [(cut, twin.plan(cut.sql)) for cut in cuts]
    except GaugeError as error:
        fail(error, as_json)
    statements = [
        {
            "line": cut.line, "statement": cut.sql, "cost": answer.plan["Total Cost"] if answer.plan else None,
            "rows": answer.plan["Plan Rows"] if answer.plan else None, "indexes": _indexes(answer.plan, made),
            "for_values": answer.for_values, "plan": answer.plan, "problem": answer.problem,
        }
        for cut, answer in answers
    ]  # fmt: skip
    if as_json:
        document = {
            "server": described.server, "version": described.major, "made_up": [asdict(one) for one in made],
            "statements": statements, "cautions": described.cautions,
        }  # fmt: skip
        typer.echo(json.dumps(document, indent=2))
        return
    for made_up in made:
        typer.echo(f"made up: {made_up.asked}, about {size(made_up.bytes)}")
    for one, (_, answer) in zip(statements, answers, strict=True):
        typer.echo(_words(one, answer.plan))
    for caution in described.cautions:
        typer.echo(f"  {caution}")


@app.command()
def remove(folder: Folder) -> None:
    """Take a twin away.

    Example: hardy-gauge twin remove twin
    """
    try:
        remove_twin(folder)
    except GaugeError as error:
        fail(error, False)


def _text(path: Path) -> str:
    try:
        if path.stat().st_size > MOST_BYTES:
            raise InvalidInput(f"sql: {path} is larger than {size(MOST_BYTES)}", "sql")
        return path.read_text(encoding="utf-8")
    except (OSError, UnicodeDecodeError) as error:
        raise InvalidInput(f"sql: {path} cannot be read: {error}", "sql") from error


def _pair(given: str, field: str) -> tuple[str, str]:
    name, equal, value = given.partition("=")
    if not equal or not name.strip() or not value.strip():
        raise InvalidInput(f"{field}: {given!r} is not such as name=value", field)
    return name.strip(), value.strip()


def _factor(value: str) -> float:
    try:
        return float(value.lstrip("×xX*"))
    except ValueError as error:
        raise InvalidInput(f"rows: {value!r} is not a factor such as ×10", "rows") from error


def _indexes(plan: dict[str, Any] | None, made: list[MadeUpIndex]) -> list[str]:
    """Indexes that the plan reads, those that were made up by what was asked for."""
    if plan is None:
        return []
    names = {one.name: one.asked for one in made}
    here = [names.get(plan["Index Name"], plan["Index Name"])] if "Index Name" in plan else []
    below = [name for step in plan.get("Plans", []) for name in _indexes(step, made)]
    return list(dict.fromkeys(here + below))


def _words(one: dict[str, Any], plan: dict[str, Any] | None) -> str:
    text = " ".join(one["statement"].split())
    head = f"line {one['line']}: {text if len(text) <= 100 else text[:99] + '…'}"
    if plan is None:
        return f"{head}\n  no plan: {one['problem']}"
    steps = plan_sheet(read_plan(json.dumps([{"Plan": plan}]))).steps
    lines = [f"  {'  ' * step.depth}{step.words} ({expected_rows(step.rows_expected)} rows)" for step in steps]
    return "\n".join([f"{head}\n  cost {one['cost']:,.2f}, {one['rows']:,.0f} rows", *lines])
