"""``hardy-gauge plan``: read a plan from a file and say where its time goes."""

from __future__ import annotations

import json
from dataclasses import asdict
from pathlib import Path
from typing import Annotated

import typer

from hardy_gauge.core.figures.formatting import duration
from hardy_gauge.core.plans.model import MalformedPlan, Plan
from hardy_gauge.core.plans.readers import read_plan
from hardy_gauge.core.plans.sheet import plan_sheet


def plan(
    file: Annotated[
        Path, typer.Argument(help="Plan as JSON: of the probe protocol, of PostgreSQL, or SQLite's query plan rows.")
    ],
    as_json: Annotated[bool, typer.Option("--json", help="Print JSON instead of a table.")] = False,
) -> None:
    """Print the steps of a plan with the time each takes itself, without the steps below it.

    Example: hardy-gauge plan plan.json
    """
    try:
        found = read_plan(file.read_text(encoding="utf-8"))
    except OSError as error:
        _fail(as_json, f"{file}: {error.strerror}", "file")
    except (MalformedPlan, UnicodeDecodeError) as error:
        _fail(as_json, str(error), getattr(error, "field", "file"))
    else:
        typer.echo(json.dumps(asdict(plan_sheet(found)), indent=2) if as_json else as_table(found))


def as_table(found: Plan) -> str:
    lines = [f"{'own time':>10}  {'rows seen':>12}  {'expected':>12}  step"]
    for depth, step in found.root.walk():
        own = duration(step.own_time_s) if step.own_time_s is not None else "not timed"
        seen = f"{step.rows_seen:,.0f}" if step.rows_seen is not None else ""
        lines.append(f"{own:>10}  {seen:>12}  {step.rows_expected:>12,.0f}  {'  ' * depth}{step.words}")
    return "\n".join(lines)


def _fail(as_json: bool, detail: str, field: str) -> None:
    if as_json:
        typer.echo(json.dumps({"title": "The plan cannot be read", "status": 422, "detail": detail, "field": field}))
    else:
        typer.echo(detail, err=True)
    raise typer.Exit(2)
