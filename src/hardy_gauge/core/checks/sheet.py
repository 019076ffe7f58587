"""What checks find of one statement, as its sheet shows it."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Literal

from hardy_gauge.core.checks.check import GRADES, Found, Grade
from hardy_gauge.core.checks.registry import checked, checked_figures, checked_plan
from hardy_gauge.core.checks.statement import TableShape
from hardy_gauge.core.evidence.schema import TableFacts
from hardy_gauge.core.plans.model import Plan
from hardy_gauge.core.sql.predicates import Unreadable
from hardy_gauge.core.statements.rows import StatementRow

About = Literal["text", "plan", "figures"]


@dataclass(frozen=True)
class CheckRow:
    """``name`` is also that of its article; ``sure`` from 0 to 1 how sure it is."""

    name: str
    about: About
    title: str
    grade: Grade
    seen: str
    why: str
    remedy: str
    safe: str
    sure: float


def check_rows(
    row: StatementRow, dialect: str, shapes: Mapping[str, TableShape], plan: Plan | None, tables: Mapping[str, TableFacts]
) -> list[CheckRow]:  # fmt: skip
    """Of text, plan (where there is one) and figures, the most pressing first."""
    try:
        of_text = checked(row.text, dialect, shapes)
    except Unreadable:
        of_text = []
    rows = _rows("text", of_text)
    rows += _rows("plan", checked_plan(plan, tables) if plan is not None else [])
    rows += _rows("figures", checked_figures(row))
    return sorted(rows, key=lambda one: (-GRADES.index(one.grade), -one.sure))


def _rows(about: About, found: list[Found]) -> list[CheckRow]:
    return [
        CheckRow(
            one.check.name, about, one.check.title, one.check.grade, one.seen, one.check.why, one.check.remedy, one.check.safe, one.check.sure
        )
        for one in found
    ]  # fmt: skip
