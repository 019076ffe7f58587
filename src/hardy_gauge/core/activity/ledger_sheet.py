"""The answer of the Ledger: entries, cells of the mosaic and a stack over time, beside their reference."""

from __future__ import annotations

from dataclasses import dataclass

from hardy_gauge.core.activity.ledger import Dimension
from hardy_gauge.core.reference.typical_day import Typical


@dataclass(frozen=True)
class Entry:
    """Active sessions with a 95% interval; ``reference`` is None when nothing was recorded there."""

    key: str
    label: str
    active_sessions: float
    low: float
    high: float
    share: float
    samples: int
    reference: Typical | None
    difference: str


@dataclass(frozen=True)
class Cell:
    """One entry of the first dimension crossed with one of the second."""

    row: str
    column: str
    active_sessions: float
    low: float
    high: float
    reference: float | None


@dataclass(frozen=True)
class Stack:
    """Active sessions by step and entry; None where nothing was recorded. ``reference`` is what the sum typically is."""

    at_us: list[int]
    step_us: int
    series: dict[str, list[float | None]]
    reference: list[float | None] | None


@dataclass(frozen=True)
class Ledger:
    """``seconds`` were looked at, on average over the servers."""

    sentence: str
    reference_note: str
    focus: str
    seconds: float
    active_sessions: float
    reference: Typical | None
    by: Dimension
    against: Dimension
    entries: list[Entry]
    cells: list[Cell]
    labels: dict[str, str]
    stack: Stack
    filters: dict[str, list[str]]
