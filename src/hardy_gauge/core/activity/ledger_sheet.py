"""The answer of the Ledger: entries, cells of the mosaic and a stack over time, beside their reference."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field

from hardy_gauge.core.activity.ledger import Dimension, Measure
from hardy_gauge.core.narrative.mosaic import rest_words
from hardy_gauge.core.reference.typical_day import Typical

MOST_COLUMNS = 8


@dataclass(frozen=True)
class Entry:
    """Active sessions with a 95% interval, or what was counted a second, exactly; ``reference`` is None when nothing was recorded there."""

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
class CellPart:
    """What one entry of the third dimension has of a cell."""

    key: str
    active_sessions: float


@dataclass(frozen=True)
class Cell:
    """One entry of the first dimension crossed with one of the second; ``parts`` by the third where there is one, the largest first."""

    row: str
    column: str
    active_sessions: float
    low: float
    high: float
    reference: float | None
    parts: list[CellPart] = field(default_factory=list)


@dataclass(frozen=True)
class Column:
    """One entry of the second dimension: its time, that time's share of all, and its cells."""

    key: str
    active_sessions: float
    share: float
    cells: list[Cell]


@dataclass(frozen=True)
class Mosaic:
    """The largest columns first; ``rest`` says how much of the time is in columns that are left out."""

    columns: list[Column]
    rest: str


def mosaic_of(cells: Sequence[Cell], most: int = MOST_COLUMNS) -> Mosaic:
    """The ``most`` largest columns of the cells of all, whose cells keep their order."""
    by_column: dict[str, list[Cell]] = {}
    for cell in cells:
        by_column.setdefault(cell.column, []).append(cell)
    sums = {key: sum(cell.active_sessions for cell in mine) for key, mine in by_column.items()}
    total = sum(sums.values())
    kept = sorted(sums, key=lambda key: -sums[key])[:most] if total > 0 else []
    columns = [Column(key, sums[key], sums[key] / total, by_column[key]) for key in kept]
    return Mosaic(columns, rest_words(1 - sum(column.share for column in columns)) if columns else "")


@dataclass(frozen=True)
class Stack:
    """Active sessions by step and entry; None where nothing was recorded. ``reference`` is what the sum typically is."""

    at_us: list[int]
    step_us: int
    series: dict[str, list[float | None]]
    reference: list[float | None] | None


@dataclass(frozen=True)
class Ledger:
    """``seconds`` were looked at, on average over the servers. ``steps`` are the entries of the third dimension, ``at`` is the one that is
    shown, empty for all. Of another ``measure`` than time, ``active_sessions`` are sums a second in ``unit``. ``names`` are what the values of
    filters are called, by dimension and value, such as "statement.9f…";
    ``counted`` the dimensions of what is counted by statement; ``unknown`` whose part is missing, and why.
    """

    sentence: str
    reference_note: str
    focus: str
    seconds: float
    active_sessions: float
    reference: Typical | None
    by: Dimension
    against: Dimension
    through: Dimension | None
    at: str
    steps: list[Entry]
    measure: Measure
    unit: str
    entries: list[Entry]
    mosaic: Mosaic
    labels: dict[str, str]
    stack: Stack
    filters: dict[str, list[str]]
    without: dict[str, list[str]]
    names: dict[str, str]
    counted: Sequence[Dimension]
    unknown: list[str]
