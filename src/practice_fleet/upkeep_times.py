"""When each table was last cleaned, and when the planner's statistics of it were last gathered.

Upkeep cleans a table when a share of its rows is dead, and gathers statistics when a tenth of them has changed (common practice);
how long that takes follows from the usual rate of changes.
"""

from __future__ import annotations

import zlib
from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np

from practice_fleet.conditions import State

if TYPE_CHECKING:
    from practice_fleet.server import PracticeServer

CHANGED_SHARE = 0.1
LONGEST_US = 400 * 86_400_000_000  # what would take longer has not happened
HOUR_US = 3_600_000_000


@dataclass(frozen=True)
class Kept:
    """Moments (µs; none: never, as far as is known) and rows changed since the statistics were gathered."""

    upkeep_us: int | None
    statistics_us: int | None
    changed_since: float


def kept_tables(server: PracticeServer, state: State, at_us: int) -> dict[str, Kept]:
    """Of every table of a server at a moment."""
    rhythms = server.scenario.rhythms
    usual = {k: state.rates[k] * rhythms[s.rhythm].mean for k, s in state.statements.items()}
    dead, changed = state.dead_rows(usual), state.changed_rows(usual)
    threshold = float(state.settings["upkeep_threshold"])
    off_us = _off_since(server, at_us)
    everywhere = state.settings["upkeep_enabled"] == "off"
    found = {}
    for name, table in state.catalogue.tables.items():
        left_out = everywhere or name in state.now.unkept_tables
        until_us = off_us if off_us is not None and left_out else at_us
        per_s = changed.get(name, 0.0)
        cleaned = _last(name, until_us, threshold * table.rows, dead.get(name, 0.0))
        gathered = _last(f"{name} statistics", until_us, CHANGED_SHARE * table.rows, per_s)
        if (at_s := state.now.gathered.get(name)) is not None:
            gathered = int(at_s * 1e6)
        since = per_s * (at_us - gathered) / 1e6 if gathered is not None else 0.0
        believed = state.catalogue.rows_expected(name)
        found[name] = Kept(cleaned, gathered, max(since, abs(table.rows - believed)))
    return found


def _off_since(server: PracticeServer, at_us: int) -> int | None:
    """Since when upkeep leaves something out."""
    levels = server.levels(np.array([at_us]))
    hours = [float(levels[name][0]) for name in ("unkept_hours", "unfrozen_hours") if name in levels]
    return int(at_us - max(hours) * HOUR_US) if hours else None


def _last(name: str, until_us: int, rows: float, per_s: float) -> int | None:
    """When so many rows had last come together, for a table whose turn falls at a moment of its own."""
    if per_s <= 0 or rows / per_s * 1e6 > LONGEST_US:
        return None
    every_us = max(60_000_000, int(rows / per_s * 1e6))
    phase = zlib.crc32(name.encode()) % every_us
    return until_us - (until_us - phase) % every_us
