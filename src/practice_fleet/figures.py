"""The neutral figures of a server: counters that add up, and levels that are read."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np

from practice_fleet.conditions import State
from practice_fleet.history import Block, History
from practice_fleet.physics.queueing import Array
from practice_fleet.physics.wait_events import FLUSH, QUEUE, READ, RUNNING, SWAP, TEMP, WRITE
from practice_fleet.scenario.units import PAGE_BYTES
from practice_fleet.server import DAY_US, HOUR_US

PER_CALL = ("rows_returned", "rows_examined", "pages_requested", "pages_read", "log_bytes")
Figures = dict[str, Array]
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
        **_host_counters(block, total),
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


def _host_counters(block: Block, total: Callable[[str], Array]) -> Figures:
    """What the host counts: threads that run or wait for a core, pages swapped, and what its volumes did."""
    host, seconds = block.state.host, block.seconds.sum(axis=1)
    written = block.state.background(block.at_us) * 60
    latency = host.data_volume.latency_s
    log = "log" if host.log_volume else "data"
    figures = {
        "run_queue_s": seconds[RUNNING] + seconds[QUEUE],
        "swap_in_pages": total("swap_reads"), "swap_out_pages": total("swap_reads"),
        "volume_reads.data": total("random_reads") + total("chunk_reads") + total("temp_reads") / 2 + total("swap_reads"),
        "volume_read_bytes.data": (total("storage_pages") + total("swap_reads")) * PAGE_BYTES,
        "volume_read_s.data": seconds[READ] + seconds[TEMP] / 2 + seconds[SWAP],
        "volume_writes.data": total("evict_writes") + total("temp_reads") / 2 + written,
        "volume_write_s.data": seconds[WRITE] + seconds[TEMP] / 2 + written * latency,
    }  # fmt: skip
    for name, more in ((f"volume_writes.{log}", total("commits")), (f"volume_write_s.{log}", seconds[FLUSH])):
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
    ages = [hold.age_s(at_us / 1e6) for hold in idle]
    longest = np.maximum.reduce([none, *ages])
    levels = {
        "volume_used.data": used // PAGE_BYTES * PAGE_BYTES,
        "memory_used_bytes": np.full(len(at_us), state.memory.used * (1 - state.memory.swapped)),
        "memory_available_bytes": np.full(len(at_us), state.memory.system_cache),
        "swap_used_bytes": np.full(len(at_us), state.memory.used * state.memory.swapped),
        "sessions_open": np.full(len(at_us), min(state.sessions, float(state.settings["max_sessions"]))),
        "sessions_limit": np.full(len(at_us), float(state.settings["max_sessions"])),
        "transaction_age": (since_upkeep + unkept) * AGE_PER_S + added.get("transaction_age", none),
        "oldest_transaction_s": np.maximum(30.0 + added.get("oldest_transaction_s", none), longest),
        "dead_rows_share": np.maximum(
            max(state.now.dead_shares.values(), default=0.0), added.get("dead_rows_share", none)
        ),
    }
    if idle:
        levels["idle_transactions"] = np.sum([age >= 0 for age in ages], axis=0).astype(float)
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
