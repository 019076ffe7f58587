"""Upkeep: dead rows are cleaned when they are a share of a table, and until then it is larger than its rows need.

Common practice: a lower threshold cleans more often and reads more; a higher one, or none, lets tables grow.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

from practice_fleet.scenario.data import TableSpec

USUAL_THRESHOLD = 0.2
MOST_PAGES_PER_S = 800.0


@dataclass(frozen=True)
class Upkeep:
    """``growth`` is each table's pages ÷ its pages at the usual threshold, ``dead_shares`` what part of its rows is dead."""

    pages_per_s: float
    growth: dict[str, float]
    dead_shares: dict[str, float]


def upkeep(
    tables: Mapping[str, TableSpec], dead_per_s: Mapping[str, float], threshold: float, off_hours: float | None
) -> Upkeep:
    """What cleaning costs and leaves at ``dead_per_s`` rows; ``off_hours`` is how long nothing was cleaned.

    A table is read whole, and each page with dead rows written, whenever dead rows are ``threshold`` of its rows;
    so half of that is dead on average. Not cleaned, dead rows only ever add up.
    """
    usual = 1 + USUAL_THRESHOLD / 2
    growth: dict[str, float] = {}
    pages_per_s = 0.0
    for name, dead in dead_per_s.items():
        rows, pages = tables[name].rows, tables[name].pages
        if dead <= 0:
            continue
        if off_hours is not None:
            growth[name] = (usual + dead * off_hours * 3600 / rows) / usual
            continue
        growth[name] = (1 + threshold / 2) / usual
        pages_per_s += (pages + min(pages, threshold * rows)) * dead / (threshold * rows)
    dead_shares = {name: 1 - 1 / (share * usual) for name, share in growth.items()}
    return Upkeep(min(pages_per_s, MOST_PAGES_PER_S), growth, dead_shares)
