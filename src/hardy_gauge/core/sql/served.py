"""Which conditions of a statement an index serves, could serve, or cannot, and why."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Literal

from hardy_gauge.core.evidence.schema import TableFacts
from hardy_gauge.core.sql.predicates import Unreadable, read_uses


@dataclass(frozen=True)
class Predicate:
    """One condition; ``served`` by an index, could be ("could"), or cannot ("cannot", with the reason)."""

    text: str
    table: str
    column: str
    served: Literal["index", "could", "cannot"]
    why: str


def predicates_of(text: str, tables: Mapping[str, TableFacts], dialect: str) -> list[Predicate]:
    """The conditions of a statement in their order; empty when the text cannot be read."""
    try:
        uses = read_uses(text, {name: list(t.columns) for name, t in tables.items()}, dialect)
    except Unreadable:
        return []
    rows = []
    for condition in uses.conditions:
        leading = {i.columns[0]: i.name for i in tables[condition.table].indexes}
        inner = {c: i.name for i in tables[condition.table].indexes for c in i.columns[1:]}
        served: Literal["index", "could", "cannot"]
        if condition.form == "other":
            reason = uses.tables[condition.table].unserved.get(condition.column, "no index can start from it")
            served, why = "cannot", reason
        elif condition.column in leading:
            served, why = "index", f"served by {leading[condition.column]}"
        elif condition.column in inner:
            served, why = "index", f"served by {inner[condition.column]} after its leading columns"
        else:
            served, why = "could", "an index on this column could serve it; none does"
        rows.append(Predicate(condition.text, condition.table, condition.column, served, why))
    return rows
