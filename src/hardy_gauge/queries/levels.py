"""Figures that are read, not counted, as they were last in a window: ages, lag, dead rows, members, sequences."""

from __future__ import annotations

import math
from dataclasses import dataclass

from hardy_gauge.core.figures.catalogue import LEVELS, level_of
from hardy_gauge.core.time.span import MINUTE_US, Span
from hardy_gauge.queries.reader import Reader

RECENT_US = 5 * MINUTE_US


@dataclass(frozen=True)
class LevelOut:
    """One level figure; ``of`` names what it is of, where there are several."""

    name: str
    title: str
    of: str
    value: float
    unit: str


def levels_of(reader: Reader, server_id: int, span: Span) -> list[LevelOut]:
    """The last value of every level that the server reports, in the order of the catalogue."""
    frame = reader.counters([server_id], Span(span.until_us - RECENT_US, span.until_us))
    rows: list[tuple[int, LevelOut]] = []
    for name in sorted(frame.columns):
        known = level_of(name)
        if known is None or not frame[name].dtype.is_numeric() or not len(found := frame[name].drop_nulls()):
            continue
        level, of = known
        value = float(found[-1])
        if math.isfinite(value):
            rows.append((LEVELS.index(level), LevelOut(name, level.title, of, value, level.unit)))
    return [row for _, row in sorted(rows, key=lambda one: one[0])]
