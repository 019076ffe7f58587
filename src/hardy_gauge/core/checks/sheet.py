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


@dataclass(frozen=True)
class CheckSheet:
    """What was found, the most pressing first; ``unknown`` is what could not be looked at, and why: nothing found there is no praise."""

    rows: list[CheckRow]
    unknown: list[str]


def check_sheet(
    row: StatementRow, dialect: str, shapes: Mapping[str, TableShape] | None, plan: Plan | None, tables: Mapping[str, TableFacts]
) -> CheckSheet:  # fmt: skip
    """Of text, plan and figures; ``shapes`` None where no schema was recorded, ``plan`` None where none is kept."""
    found = check_text_and_plan(row.text, dialect, shapes, plan, tables)
    return CheckSheet(_in_order(found.rows + _rows("figures", checked_figures(row))), found.unknown)


def check_text_and_plan(
    text: str, dialect: str, shapes: Mapping[str, TableShape] | None, plan: Plan | None, tables: Mapping[str, TableFacts]
) -> CheckSheet:  # fmt: skip
    """The same without figures, of a text that was never called."""
    unknown = []
    try:
        of_text = checked(text, dialect, shapes or {})
    except Unreadable as error:
        of_text = []
        unknown.append(f"its text cannot be read: {error}")
    if shapes is None:
        unknown.append("no schema was recorded, so types and indexes are not known to the checks of its text")
    if plan is None:
        unknown.append("no plan of it is kept, so none was checked")
    rows = _rows("text", of_text) + _rows("plan", checked_plan(plan, tables) if plan is not None else [])
    return CheckSheet(_in_order(rows), unknown)


def _in_order(rows: list[CheckRow]) -> list[CheckRow]:
    return sorted(rows, key=lambda one: (-GRADES.index(one.grade), -one.sure))


def _rows(about: About, found: list[Found]) -> list[CheckRow]:
    return [
        CheckRow(
            one.check.name, about, one.check.title, one.check.grade, one.seen, one.check.why, one.check.remedy, one.check.safe, one.check.sure
        )
        for one in found
    ]  # fmt: skip
