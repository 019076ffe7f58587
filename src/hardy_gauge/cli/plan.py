"""``hardy-gauge plan``: read a plan from a file and say where its time goes."""

from __future__ import annotations

import json
from dataclasses import asdict
from pathlib import Path
from typing import Annotated

import typer

from hardy_gauge.cli.failing import fail
from hardy_gauge.core.figures.formatting import duration
from hardy_gauge.core.narrative.plan import expected_rows
from hardy_gauge.core.plans.comparison import PlanComparison, compare_plans
from hardy_gauge.core.plans.model import MalformedPlan, Plan
from hardy_gauge.core.plans.readers import read_plan
from hardy_gauge.core.plans.sheet import plan_sheet


def plan(
    file: Annotated[
        Path, typer.Argument(help="Plan as JSON: of the probe protocol, of PostgreSQL, or SQLite's query plan rows.")
    ],
    other: Annotated[Path | None, typer.Argument(help="A second plan, to be compared with the first.")] = None,
    as_json: Annotated[bool, typer.Option("--json", help="Print JSON instead of a table.")] = False,
) -> None:
    """Print the steps of a plan with the time each takes itself, without the steps below it; or two plans beside each other.

    Example: hardy-gauge plan before.json after.json
    """
    first = _read(file, "file", as_json)
    if other is None:
        typer.echo(json.dumps(asdict(plan_sheet(first)), indent=2) if as_json else as_table(first))
        return
    found = compare_plans(first, _read(other, "other", as_json))
    typer.echo(json.dumps(asdict(found), indent=2) if as_json else as_comparison(found))


def _read(file: Path, field: str, as_json: bool) -> Plan:
    try:
        return read_plan(file.read_text(encoding="utf-8"))
    except OSError as error:
        fail(MalformedPlan(f"{file}: {error.strerror}", field), as_json)
    except UnicodeDecodeError as error:
        fail(MalformedPlan(str(error), field), as_json)
    except MalformedPlan as error:
        fail(error, as_json)


def as_table(found: Plan) -> str:
    lines = [f"{'own time':>10}  {'rows seen':>12}  {'expected':>12}  step"]
    for step in plan_sheet(found).steps:
        own = duration(step.own_time_s) if step.own_time_s is not None else "not timed"
        seen = f"{step.rows_seen:,.0f}" if step.rows_seen is not None else ""
        lines.append(f"{own:>10}  {seen:>12}  {expected_rows(step.rows_expected):>12}  {'  ' * step.depth}{step.words}")
    return "\n".join(lines)


def as_comparison(found: PlanComparison) -> str:
    """The sentence, then a line a step: what became of it, and its words in both plans where they differ."""
    lines = [found.sentence]
    for one in found.steps:
        a, b = one.first, one.second
        shown = a or b
        assert shown is not None
        words = shown.words if a is None or b is None or a.words == b.words else f"{a.words}  →  {b.words}"
        told = f" ({', '.join(one.changed)})" if one.changed else ""
        lines.append(f"{one.match:>18}  {'  ' * shown.depth}{words}{told}")
    return "\n".join(lines)
