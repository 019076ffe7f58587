"""The neutral figures of a server: counters that add up, and levels that are read."""

from __future__ import annotations

import numpy as np

from practice_fleet.conditions import State
from practice_fleet.history import Block, History
from practice_fleet.physics.queueing import Array
from practice_fleet.physics.wait_events import RUNNING
from practice_fleet.scenario.units import PAGE_BYTES
from practice_fleet.server import DAY_US, HOUR_US

PER_CALL = ("rows_returned", "rows_examined", "pages_requested", "pages_read", "log_bytes")
UPKEEP_HOUR = 3
AGE_PER_S = 40.0


def metrics(block: Block) -> dict[str, Array]:
    """Increments of the neutral counters in each minute of a block."""

    def total(name: str) -> Array:
        return np.asarray((block.calls * block.per_call(name)).sum(axis=0))

    host, state = block.state.host, block.state
    use = block.model.utilisation
    done = state.situation.checkpoints
    starts = np.floor((block.at_us / 1e6 + 60) / done.every_s) - np.floor(block.at_us / 1e6 / done.every_s)
    figures = {
        "calls": block.calls.sum(axis=0),
        "errors": block.errors.sum(axis=0),
        "time_s": block.seconds.sum(axis=(0, 1)),
        "processor_busy_s": block.seconds[RUNNING].sum(axis=0) + state.now.background_cores * 60,
        "data_volume_busy_s": (use["data volume"] * host.data_volume.channels - block.model.neighbours.channel_s) * 60,
        "log_volume_busy_s": use["log volume"] * 60,
        "pages_requested": total("pages_requested"),
        "pages_read": total("pages_read"),
        "pages_written": total("evict_writes") + state.background(block.at_us) * 60,
        "temporary_bytes": total("temp_reads") * float(state.settings["read_ahead_pages"]) * PAGE_BYTES,
        "swap_pages": total("swap_reads"),
        "log_bytes": total("log_bytes"),
        "checkpoints": starts,
        "checkpoints_forced": starts * done.forced,
        "rows_returned": total("rows_returned"),
        "rows_examined": total("rows_examined"),
        "commits": total("commits"),
        "sessions_refused": block.refused.sum(axis=0),
    }
    for name, more in block.brought.items():
        figures[name] = figures.get(name, 0.0) + more
    return figures


def levels_of(history: History, state: State, at_us: np.ndarray | int) -> dict[str, Array]:
    """Levels at each moment: storage, memory, sessions, ages, lag."""
    server = history.server
    at_us = np.atleast_1d(np.asarray(at_us))
    added = server.levels(at_us)
    none = np.zeros(len(at_us))
    volume = state.hardware.data_volume
    grown = (at_us - server.anchor_us) / DAY_US * volume.growth_per_day
    used = np.minimum(float(volume.capacity), volume.used + grown + added.get("volume_used.data", none))
    # upkeep renews the transaction numbers each night
    since_upkeep = (at_us - UPKEEP_HOUR * HOUR_US) % DAY_US / 1e6
    unkept = added.get("unkept_hours", none) * 3600 if state.settings["upkeep_enabled"] == "off" else 0.0
    idle = [hold for hold in state.holds.values() if hold.behind is None and not hold.whole]
    longest = max((hold.lasts_s for hold in idle), default=0.0)
    levels = {
        "volume_used.data": used // PAGE_BYTES * PAGE_BYTES,
        "memory_used_bytes": np.full(len(at_us), state.memory.used),
        "sessions_open": np.full(len(at_us), min(state.sessions, float(state.settings["max_sessions"]))),
        "sessions_limit": np.full(len(at_us), float(state.settings["max_sessions"])),
        "transaction_age": (since_upkeep + unkept) * AGE_PER_S + added.get("transaction_age", none),
        "oldest_transaction_s": np.maximum(30.0 + added.get("oldest_transaction_s", none), longest),
        "dead_rows_share": np.maximum(
            max(state.now.dead_shares.values(), default=0.0), added.get("dead_rows_share", none)
        ),
    }
    if idle:
        levels["idle_transactions"] = np.full(len(at_us), float(len(idle)))
    for flow in history.flows:
        levels |= flow.levels(at_us)
    if server.spec.role == "member":
        peers = sum(spec.role == "member" for spec in server.cluster.servers)
        levels["members_seen"] = peers + added.get("members_seen", none)
        for name in ("partitions_coming", "partitions_going", "copies_missing"):
            levels[name] = added.get(name, none)
    for name in sorted(added.keys() - levels.keys() - {"unkept_hours"}):
        levels[name] = added.get(name, none)
    return levels
