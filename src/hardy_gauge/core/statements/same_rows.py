"""Whether two answers are the same rows: as often, whatever their order, and in the same order; a number that was summed in another
order counts as the same.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Sequence
from dataclasses import dataclass
from decimal import Decimal
from typing import Any, Literal

Likeness = Literal["same", "another order", "differ"]
FIGURES = 11  # of a floating-point number that count: sums differ in the last ones by the order in which they are made
MOST = 5
Row = tuple[Any, ...]


@dataclass(frozen=True)
class MoreOften:
    """A row, as text, that one answer has so many times more often than the other."""

    row: list[str | None]
    more: int


@dataclass(frozen=True)
class RowsCompared:
    """``only_first`` and ``only_second`` are some rows that one has more often than the other."""

    likeness: Likeness
    first_rows: int
    second_rows: int
    only_first: list[MoreOften]
    only_second: list[MoreOften]


def compare_rows(first: Sequence[Row], second: Sequence[Row]) -> RowsCompared:
    """Both whole, in the order in which they came."""
    a, b = [_plain(row) for row in first], [_plain(row) for row in second]
    if a == b:
        return RowsCompared("same", len(a), len(b), [], [])
    left, right = Counter(a), Counter(b)
    if left == right:
        return RowsCompared("another order", len(a), len(b), [], [])
    return RowsCompared("differ", len(a), len(b), _some(left - right), _some(right - left))


def _some(more: Counter[Row]) -> list[MoreOften]:
    return [
        MoreOften([None if one is None else str(one) for one in row], count) for row, count in more.most_common(MOST)
    ]


def _plain(row: Row) -> Row:
    return tuple(_value(one) for one in row)


def _value(one: Any) -> Any:
    if isinstance(one, float):
        return "NaN" if one != one else float(f"{one:.{FIGURES}g}")
    if isinstance(one, Decimal):
        return "NaN" if one.is_nan() else one.normalize() + 0
    if isinstance(one, list):
        return ("list", *map(_value, one))
    if isinstance(one, dict):
        return ("map", *sorted((key, _value(value)) for key, value in one.items()))
    return one
