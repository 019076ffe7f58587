"""Figures of a statement per call and per row: the one place where they are divided."""

from __future__ import annotations

import math


def per_call(calls: float | None, value: float | None) -> float | None:
    """A sum per call; None when nothing was called or the figure is not reported."""
    return None if value is None or not calls else value / calls


def examined_per_row(calls: float | None, rows_returned: float | None, rows_examined: float | None) -> float | None:
    """Rows examined per row returned; a call that returns nothing counts as one row. None where not reported."""
    if not calls or rows_examined is None:
        return None
    return rows_examined / max(rows_returned or 0.0, calls)


def spread(calls: float, time_s: float, squares_s2: float | None) -> float | None:
    """Standard deviation of the time of a call, √(Σt²/n − (Σt/n)²), in seconds; None where squares are not reported."""
    if squares_s2 is None or calls <= 0:
        return None
    return math.sqrt(max(0.0, squares_s2 / calls - (time_s / calls) ** 2))
