"""How old the oldest transaction number is: what commits use up since rows were last frozen."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np

from practice_fleet.conditions import State
from practice_fleet.physics.queueing import Array

if TYPE_CHECKING:
    from practice_fleet.server import PracticeServer

MOST_AGE = 2.0**31
UPKEEP_HOUR = 3  # old rows are frozen each night
HOUR_US = 3_600_000_000
DAY_US = 24 * HOUR_US


def commits_per_s(server: PracticeServer, state: State) -> float:
    """Numbers that the statements use up, averaged over a week's rhythm."""
    rhythms = server.scenario.rhythms
    return sum(
        state.rates[key] * rhythms[spec.rhythm].mean
        for key, spec in state.statements.items()
        if state.visits[key].log_bytes > 0
    )


def since_upkeep_s(at_us: np.ndarray) -> Array:
    return np.asarray((at_us - UPKEEP_HOUR * HOUR_US) % DAY_US / 1e6)


def transaction_age(server: PracticeServer, state: State, at_us: np.ndarray) -> Array:
    """Of the whole server; a replica has what its primary has."""
    primary = next((peer for peer in server.peers.values() if peer.spec.role == "primary"), None)
    if server.spec.role == "replica" and primary is not None:
        edges = np.array(primary.cuts(int(at_us[0]), int(at_us[-1]) + 1), dtype=np.int64)
        found = np.empty(len(at_us))
        for which in np.unique(parts := np.searchsorted(edges, at_us, side="right")):
            moments = at_us[parts == which]
            found[parts == which] = transaction_age(primary, primary.state(int(moments[0])), moments)
        return found
    added, none = server.levels(at_us), np.zeros(len(at_us))
    unkept = added.get("unkept_hours", none) if state.settings["upkeep_enabled"] == "off" else none
    hours = np.maximum(unkept, added.get("unfrozen_hours", none))
    # where nothing is frozen any more, numbers age since the last time before that
    since_s = np.where(hours > 0, hours * 3600 + since_upkeep_s(at_us - hours * HOUR_US), since_upkeep_s(at_us))
    age = since_s * commits_per_s(server, state) + added.get("transaction_age", none)
    return np.asarray(np.minimum(MOST_AGE, age))


def ages_of_tables(server: PracticeServer, state: State, at_us: int) -> dict[str, float]:
    """Of each table: those that upkeep leaves out have the oldest numbers."""
    moment = np.array([at_us])
    whole = float(transaction_age(server, state, moment)[0])
    if state.settings["upkeep_enabled"] == "off" or server.spec.role == "replica":
        return dict.fromkeys(state.catalogue.tables, whole)
    fresh = float(since_upkeep_s(moment)[0]) * commits_per_s(server, state)
    return {name: whole if name in state.now.unkept_tables else min(whole, fresh) for name in state.catalogue.tables}
