"""Every check of a statement: of its text, its plan, its figures. A new one is an entry in its family's file; a new family is one line here."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from hardy_gauge.core.checks import figures
from hardy_gauge.core.checks.check import Check, Found, TextCheck
from hardy_gauge.core.checks.plan import reading, working
from hardy_gauge.core.checks.plan.reading import PlanCheck, PlanSubject
from hardy_gauge.core.checks.statement import TableShape, parsed
from hardy_gauge.core.checks.text import (
    changes,
    columns,
    conditions,
    joins,
    schema_changes,
    sets,
    sorting,
    subqueries,
    values,
)
from hardy_gauge.core.evidence.schema import TableFacts
from hardy_gauge.core.plans.model import Plan
from hardy_gauge.core.statements.rows import StatementRow

CHECKS: tuple[TextCheck, ...] = tuple(
    check
    for family in (columns, changes, conditions, joins, sorting, subqueries, sets, values, schema_changes)
    for check in family.CHECKS
)


def checked(
    text: str, dialect: str, tables: Mapping[str, TableShape] | None = None, fresh: frozenset[str] = frozenset()
) -> list[Found]:
    """What the checks find in one statement, each place once, in the order of the checks; Unreadable when it cannot be parsed."""
    statement = parsed(text, dialect, tables, fresh)
    return [Found(check, seen) for check in CHECKS for seen in dict.fromkeys(check.find(statement))]


PLAN_CHECKS: tuple[PlanCheck, ...] = (*reading.CHECKS, *working.CHECKS)
FIGURE_CHECKS = figures.CHECKS
EVERY: tuple[Check[Any], ...] = (*CHECKS, *PLAN_CHECKS, *FIGURE_CHECKS)


def checked_plan(plan: Plan, tables: Mapping[str, TableFacts] | None = None) -> list[Found]:
    """What the checks find in a plan, run or only planned; ``tables`` by name, where they are known."""
    subject = PlanSubject(plan, tables or {})
    return [Found(check, seen) for check in PLAN_CHECKS for seen in dict.fromkeys(check.find(subject))]


def checked_figures(row: StatementRow) -> list[Found]:
    """What the checks find in the figures of a statement over a window."""
    return [Found(check, seen) for check in FIGURE_CHECKS for seen in check.find(row)]
