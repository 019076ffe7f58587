"""Which conditions of a statement an index serves, could serve, or cannot, and why."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Literal

from hardy_gauge.core.evidence.schema import IndexFacts, TableFacts
from hardy_gauge.core.narrative.conditions import could_words, served_words
from hardy_gauge.core.sql.predicates import Condition, Unreadable, read_uses

# dialects whose B-trees hold rows without a value, so that a test for them can start in one
NULLS_IN_INDEXES = ("postgres", "sqlite")
Served = Literal["index", "could", "cannot"]


@dataclass(frozen=True)
class Predicate:
    """One condition; ``served`` by an index, could be ("could"), or cannot ("cannot", with the reason).

    ``kind`` says what sort it is. ``index`` is the one that serves most of the statement's conditions together with this one (empty:
    none), ``matched`` how many of its leading columns they narrow, of ``columns``.
    """

    text: str
    table: str
    column: str
    served: Served
    why: str
    kind: str = ""
    index: str = ""
    matched: int = 0
    columns: int = 0


def conditions_of(text: str, tables: Mapping[str, TableFacts], dialect: str) -> list[Condition]:
    """The conditions of a statement in their order; empty when the text cannot be read."""
    try:
        return read_uses(text, {name: list(t.columns) for name, t in tables.items()}, dialect).conditions
    except Unreadable:
        return []


def predicates_of(text: str, tables: Mapping[str, TableFacts], dialect: str) -> list[Predicate]:
    """What each condition is served by, in the order of the text; empty when the text cannot be read."""
    try:
        uses = read_uses(text, {name: list(t.columns) for name, t in tables.items()}, dialect)
    except Unreadable:
        return []
    forms: dict[str, dict[str, set[str]]] = {}
    for one in uses.conditions:
        forms.setdefault(one.table, {}).setdefault(one.column, set()).add(_form(one, dialect))
    rows = []
    for one in uses.conditions:
        form = _form(one, dialect)
        if form == "other":
            reason = uses.tables[one.table].unserved.get(one.column, "no index can start from it")
            rows.append(Predicate(one.text, one.table, one.column, "cannot", reason, one.kind))
            continue
        index, matched = _best(tables[one.table].indexes, one.column, forms[one.table])
        if index is None:
            rows.append(Predicate(one.text, one.table, one.column, "could", could_words(), one.kind))
            continue
        place = index.columns.index(one.column)
        why = served_words(index.name, index.columns[:place], place < matched)
        served: Served = "index" if place < matched else "could"
        rows.append(
            Predicate(one.text, one.table, one.column, served, why, one.kind, index.name, matched, len(index.columns))
        )
    return rows


def _form(condition: Condition, dialect: str) -> str:
    if condition.kind == "null test" and "NOT" not in condition.text.upper().split() and dialect in NULLS_IN_INDEXES:
        return "equal"
    return condition.form


def _best(indexes: Sequence[IndexFacts], column: str, forms: Mapping[str, set[str]]) -> tuple[IndexFacts | None, int]:
    """Of the indexes with the column, the one that is narrowed by it, and by most of its leading columns."""
    found: tuple[IndexFacts | None, int] = None, 0
    best = (-1, -1, 0)
    for index in indexes:
        if column not in index.columns:
            continue
        matched = narrowed(index.columns, forms)
        rank = (int(index.columns.index(column) < matched), matched, -len(index.columns))
        if rank > best:
            best, found = rank, (index, matched)
    return found


def narrowed(columns: Sequence[str], forms: Mapping[str, set[str]]) -> int:
    """How many leading columns of an index conditions narrow: equal ones, and then one range (common practice of B-trees)."""
    count = 0
    for column in columns:
        known = forms.get(column, set())
        if known & {"equal", "join"}:
            count += 1
        elif "range" in known:
            return count + 1
        else:
            break
    return count
