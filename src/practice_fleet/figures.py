"""The neutral figures of a server: counters that add up, and levels that are read."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np

from practice_fleet.actor_frames import figures as counted_as_statement
from practice_fleet.actor_frames import idle_sessions, working
from practice_fleet.burst_credit import credit_left
from practice_fleet.conditions import State
from practice_fleet.history import Block, History
from practice_fleet.physics.demand import SYSTEM_HIT_S
from practice_fleet.physics.queueing import Array
from practice_fleet.physics.storage import Volume
from practice_fleet.physics.wait_events import FLUSH, QUEUE, READ, RUNNING, SWAP, TEMP, WRITE
from practice_fleet.rhythms import rhythm
from practice_fleet.scenario.units import PAGE_BYTES
from practice_fleet.server import MINUTE_US, PracticeServer
from practice_fleet.transaction_numbers import transaction_age
from practice_fleet.volume_use import used

PER_CALL = ("rows_returned", "rows_examined", "pages_requested", "pages_read", "log_bytes")
SYSTEM_CALL_S = 30e-6  # of a call: reading the text, sending the answer
NOT_REPORTED = {"unkept_hours", "unfrozen_hours"}  # what a server knows of itself without saying it
Figures = dict[str, Array]


def metrics(block: Block) -> dict[str, Array]:
    """Increments of the neutral counters in each minute of a block."""

    def total(name: str) -> Array:
        return np.asarray((block.calls * block.per_call(name)).sum(axis=0))

    host, state = block.state.host, block.state
    use = block.model.utilisation
    done = state.situation.checkpoints
    starts = np.floor((block.at_us / 1e6 + 60) / done.every_s) - np.floor(block.at_us / 1e6 / done.every_s)
    rolled_back = _rolled_back(block)
    figures = {
        "calls": block.calls.sum(axis=0),
        "errors": block.errors.sum(axis=0),
        "time_s": block.seconds.sum(axis=(0, 1)),
        "processor_busy_s": block.seconds[RUNNING].sum(axis=0) + state.now.background_cores * 60,
        "data_volume_busy_s": (
            use["data volume"] * Volume.of(host.data_volume).channels - block.model.neighbours.channel_s
        )
        * 60,
        "log_volume_busy_s": use["log volume"] * 60,
        "pages_requested": total("pages_requested"),
        "pages_read": total("pages_read"),
        "pages_written_by_sessions": total("evict_writes"),
        "pages_written": total("evict_writes") + state.background(block.at_us) * 60,
        "temporary_bytes": total("temp_reads") * float(state.settings["read_ahead_pages"]) * PAGE_BYTES,
        "swap_pages": total("swap_reads"),
        **_host_counters(block, total),
        "log_bytes": total("log_bytes"),
        "checkpoints": starts,
        "checkpoints_forced": starts * done.forced,
        "rows_returned": total("rows_returned"),
        "rows_examined": total("rows_examined"),
        "commits": total("ends") - rolled_back,
        "rollbacks": rolled_back,
        "sessions_refused": block.refused.sum(axis=0),
    }
    more = dict(block.brought)
    for name, per_s in state.now.counted.items():
        more[name] = more.get(name, 0.0) + np.full(block.minutes, per_s * 60)
    for actor in working(block):
        for name, counted in counted_as_statement(block, actor).items():
            if name in figures:
                more[name] = more.get(name, 0.0) + counted
    for name, added in more.items():
        figures[name] = figures.get(name, 0.0) + added
    return figures


def _rolled_back(block: Block) -> Array:
    """Transactions taken back in each minute: a share of those that their last write ends."""
    taken_back = np.zeros(block.minutes)
    for one in block.state.now.transactions:
        last = [key for key, _ in one.steps if block.state.visits[key].log_bytes > 0][-1:]
        for key in last:
            taken_back += block.calls[block.keys.index(key)] * one.rolls_back
    return taken_back


def _host_counters(block: Block, total: Callable[[str], Array]) -> Figures:
    """What the host counts: threads that run or wait for a core, pages swapped, and what its volumes did."""
    host, seconds = block.state.host, block.seconds.sum(axis=1)
    written, read = block.state.background(block.at_us) * 60, block.state.now.background_reads_per_s * 60
    latency = host.data_volume.latency_s
    log = "log" if host.log_volume else "data"
    figures = {
        "run_queue_s": seconds[RUNNING] + seconds[QUEUE],
        "swap_in_pages": total("swap_reads"), "swap_out_pages": total("swap_reads"),
        "volume_reads.data": total("random_reads") + total("chunk_reads") + total("temp_reads") / 2 + total("swap_reads") + read,
        "volume_read_bytes.data": (total("storage_pages") + total("swap_reads") + read) * PAGE_BYTES,
        "volume_read_s.data": seconds[READ] + seconds[TEMP] / 2 + seconds[SWAP] + read * latency,
        "volume_writes.data": total("evict_writes") + total("temp_reads") / 2 + written,
        "volume_write_s.data": seconds[WRITE] + seconds[TEMP] / 2 + written * latency,
    }  # fmt: skip
    busy = seconds[RUNNING] + block.state.now.background_cores * 60
    system = np.minimum(busy, total("pages_read") * SYSTEM_HIT_S + block.calls.sum(axis=0) * SYSTEM_CALL_S)
    idle = np.maximum(0.0, block.state.hardware.cores * 60 - busy)
    figures |= {
        "processor_s.user": busy - system, "processor_s.system": system,
        "processor_s.iowait": np.minimum(idle, figures["volume_read_s.data"]),
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
    rows_held = [open_.age_s(at_us / 1e6) for _, _, open_ in idle_sessions(state)]
    at_work = [actor.times.age_s(at_us / 1e6) for actor in state.actors if not actor.idles]
    longest = np.maximum.reduce([none, *rows_held, *at_work])
    levels = {
        **{name: value // PAGE_BYTES * PAGE_BYTES for name, value in used(server, state, at_us).items()},
        "memory_used_bytes": np.full(len(at_us), state.memory.used * (1 - state.memory.swapped)),
        "memory_available_bytes": np.full(len(at_us), state.memory.system_cache),
        "swap_used_bytes": np.full(len(at_us), state.memory.used * state.memory.swapped),
        "sessions_open": np.full(len(at_us), min(state.sessions, float(state.settings["max_sessions"]))),
        "sessions_limit": np.full(len(at_us), float(state.settings["max_sessions"])),
        "transaction_age": transaction_age(server, state, at_us),
        "oldest_transaction_s": np.maximum(30.0 + added.get("oldest_transaction_s", none), longest),
        "dead_rows_share": np.maximum(
            max(state.now.dead_shares.values(), default=0.0), added.get("dead_rows_share", none)
        ),
    }
    open_ = sum(one.rate * one.pauses_s for one in state.now.transactions)
    if open_:
        levels["idle_transactions"] = open_ * _tide(server, state, at_us)
    if rows_held:
        levels["idle_transactions"] = levels.get("idle_transactions", none) + np.sum(
            [age >= 0 for age in rows_held], axis=0
        ).astype(float)
    for flow in history.flows:
        levels |= flow.levels(at_us)
    if server.spec.role == "member":
        peers = sum(spec.role == "member" for spec in server.cluster.servers)
        levels["members_seen"] = peers + added.get("members_seen", none)
        for name in ("partitions_coming", "partitions_going", "copies_missing"):
            levels[name] = added.get(name, none)
    if (left := _credit(server, at_us)) is not None:
        levels["volume_credit_share.data"] = left
    if state.now.pool_sessions is not None:
        levels["pool_sessions"] = np.full(len(at_us), float(state.now.pool_sessions))
    if state.now.retransmitted_share:
        levels["network_retransmitted_share"] = np.full(len(at_us), state.now.retransmitted_share)
    if state.now.hot_partition is not None:
        levels["hottest_partition_share"] = np.full(len(at_us), _hottest(state))
    if server.spec.role == "primary":
        levels["replicas_connected"] = _replicas(server) + added.get("replicas_connected", none)
    for name in sorted(added.keys() - levels.keys() - NOT_REPORTED):
        levels[name] = added.get(name, none)
    return levels


def _credit(server: PracticeServer, at_us: np.ndarray) -> Array | None:
    """Credit of the data volume ÷ a full one; the moments lie at whole minutes from the first on, or there is one."""
    first = int(at_us[0]) // MINUTE_US * MINUTE_US
    place = (at_us - first) // MINUTE_US
    left = credit_left(server, first, int(place[-1]) + 1)
    return None if left is None else left[place] / server.cluster.host.data_volume.burst_credit


def _hottest(state: State) -> float:
    """Share of all calls that ask for the partition asked for most."""
    key, share = state.now.hot_partition or ("", 0.0)
    calls = sum(state.rates.values())
    return state.rates.get(key, 0.0) * share / calls if calls else 0.0


def _tide(server: PracticeServer, state: State, at_us: np.ndarray) -> Array:
    """Share of the top rate of the first transaction's rhythm, and this server's part of the cluster's calls."""
    scenario, first = server.scenario, state.now.transactions[0]
    part = server.part(state.statements[first.steps[0][0]], state.now.load)
    return part * rhythm(scenario.rhythms[first.rhythm], at_us, scenario.time_zone, scenario.holidays)


def _replicas(server: PracticeServer) -> float:
    return float(sum(spec.role == "replica" for spec in server.cluster.servers))
