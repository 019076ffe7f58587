"""Every check of a statement's text. A new one is a line in its family's file; a new family is one line here."""

from __future__ import annotations

from collections.abc import Mapping

from hardy_gauge.core.checks.check import Found, TextCheck
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
