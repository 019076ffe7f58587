"""Findings and advice: what is wrong, with its evidence, and what would help, with its possible harm."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Literal, Protocol

from hardy_gauge.core.plans.model import Plan

Grade = Literal["fine", "note", "plan", "act"]


@dataclass(frozen=True)
class Evidence:
    """One fact: what, how much, in which unit, its reference, and where it was read."""

    what: str
    value: float
    unit: str
    source: str
    reference: float | None = None


@dataclass(frozen=True)
class Advice:
    """A change with its expected effect, side effects, script and way back."""

    title: str
    script: str
    way_back: str
    table: str
    columns: list[str]
    expected: list[Evidence]
    side_effects: list[Evidence]
    cautions: list[str] = field(default_factory=list)


@dataclass(frozen=True)
class Finding:
    """Something wrong: ``cause`` code, share of the server's time, confidence 0 to 1, grade."""

    cause: str
    title: str
    grade: Grade
    share: float
    share_low: float
    share_high: float
    confidence: float
    evidence: list[Evidence]
    advice: list[Advice]


@dataclass(frozen=True)
class ColumnFacts:
    """A column; ``distinct`` values are 0 where they are not known."""

    name: str
    width_bytes: float
    distinct: float


@dataclass(frozen=True)
class IndexFacts:
    name: str
    columns: tuple[str, ...]
    unique: bool


@dataclass(frozen=True)
class TableFacts:
    """A table with its statistics and write rates; ``None`` where the server does not report it."""

    name: str
    rows: float
    bytes: float
    columns: dict[str, ColumnFacts]
    indexes: list[IndexFacts]
    inserts_per_s: float | None = None
    deletes_per_s: float | None = None
    column_updates_per_s: dict[str, float] = field(default_factory=dict)


@dataclass(frozen=True)
class StatementFacts:
    """One statement over the focus, totals; ``reference_*`` over the reference, per call where named so."""

    text: str
    dialect: str
    calls: float
    time_s: float
    rows_returned: float
    rows_examined: float
    share: float
    share_low: float
    share_high: float
    span_s: float
    plan: Plan | None
    tables: dict[str, TableFacts]
    reference_time_per_call_s: float | None = None
    reference_examined_per_row: float | None = None


class WhatIf(Protocol):
    """Asks the server for a plan with an index that does not exist; None when it cannot tell."""

    def __call__(self, table: str, columns: list[str]) -> Plan | None: ...


class Rule(Protocol):
    """One cause. ``check`` gives a finding, or None when the cause does not show."""

    cause: str

    def check(self, statement: StatementFacts, what_if: WhatIf | None) -> Finding | None: ...
