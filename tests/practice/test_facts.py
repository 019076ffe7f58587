"""Facts of the trade that must come out of the physics without being written into it; whole runs by events.

Common practice (no source): how the size of the buffer cache, the caps of volumes, the size of the log and
overcommitted memory show in throughput.
"""

from __future__ import annotations

import pytest

from hardy_gauge.probes.protocol import Arrival, PlayRequest, PlayStatement
from practice_fleet.plays import event_run
from practice_fleet.server import PracticeServer
from tests.conftest import length
from tests.practice.bench import GIB, LOOKUP, NOW, SCAN, UPDATE, play, server, throughput, volume

GB = 10**9


def by_cache(on: PracticeServer, statements: list[tuple[str, float]], sizes: list[float], **how: float) -> list[float]:
    """Throughput at every size (bytes) of the buffer cache."""
    found = []
    for size in sizes:
        result, _ = play(on, statements, settings={"buffer_cache_bytes": int(size)}, **how)  # type: ignore[arg-type]
        found.append(throughput(result, 0.3 * result.seconds))
    return found


def test_a_quarter_of_memory_is_worse_than_little_and_than_enough() -> None:
    """32 GB host, 22 GB of data: pages held twice leave 8 GB of cache with reads that 1 GB and 24 GB spare."""
    on = server(22 * GB / GIB * 0.88, 32 * GB / GIB, data=volume(0.002, 32), cores=32, network_s=0.001)
    small, quarter, enough = by_cache(on, [(LOOKUP, 1)], [1 * GB, 8 * GB, 24 * GB], workers=64, seconds=length(2, 1))
    assert quarter < 0.99 * small and quarter < 0.99 * enough


def test_far_more_data_than_memory_wants_a_larger_cache_up_to_half() -> None:
    """110 GB of data, 64 GB host, mostly changes: a larger cache writes the same page less often."""
    settings = {"log_capacity_bytes": 64 * GIB, "checkpoint_interval_s": 3600, "background_write_rate": 0}
    on = server(96, 64, data=volume(0.004, 4), log=volume(0.0002, 1), skew=1.0, settings=settings)
    found = by_cache(on, [(LOOKUP, 1), (UPDATE, 9)], [GIB, 8 * GIB, 32 * GIB], seconds=8)
    assert found[0] < 0.9 * found[1] < 0.9 * 0.9 * found[2]


def test_reporting_scans_do_better_with_a_small_cache() -> None:
    """A scan goes past the buffer cache; what the cache takes, the system cannot keep the table in."""
    small, large = by_cache(
        server(3, 6, data=volume(channels=4)), [(SCAN, 1)], [GIB / 4, 3 * GIB], workers=2, seconds=60
    )
    assert small > 1.5 * large


def test_very_fast_storage_makes_the_size_nearly_indifferent() -> None:
    on = server(2000, 64, data=volume(0.00006, 128), skew=0.3)
    found = by_cache(on, [(LOOKUP, 1)], [GIB, 8 * GIB, 32 * GIB], workers=4, seconds=2)
    assert max(found) / min(found) < 1.05


def test_lifting_the_data_volumes_cap_moves_the_bottleneck_to_the_log() -> None:
    """Eight to ten times the throughput, then about three times more from the log volume's next tier."""

    def tier(data: dict[str, float], log: float) -> tuple[float, dict[str, float]]:
        on = server(
            96, 32, data=volume(0.0015, 64, **data), log=volume(0.0006, 1, bytes_per_s_limit=int(log)),
            settings={"buffer_cache_bytes": 8 * GIB, "log_capacity_bytes": 8 * GIB},
        )  # fmt: skip
        result, _ = play(on, [(UPDATE, 1)], workers=32, seconds=12)
        return throughput(result), result.utilisation

    capped, first = tier({"operations_per_s_limit": 120}, 6e6)
    data_free, second = tier({}, 6e6)
    both_free, _ = tier({}, 20e6)
    assert first["data limit"] > 0.95 > first["log limit"]
    assert second["log limit"] > 0.9 and second["data volume"] < 0.5
    assert 8 <= data_free / capped <= 10
    assert 2.5 <= both_free / data_free <= 3.5


def test_more_log_means_fewer_checkpoints_and_fewer_writes() -> None:
    found = []
    for mib in (64, 256, 1024):
        settings = {"log_capacity_bytes": mib * 2**20, "buffer_cache_bytes": 6 * GIB}
        result, _ = play(server(20, 16, settings=settings, skew=0.9), [(UPDATE, 1)], workers=4, seconds=length(25, 14))
        last = result.ticks.row(-1, named=True)
        calls = len(result.executions)
        found.append((last["checkpoints"], last["pages_written"] / calls, last["log_bytes"] / calls, calls))
    checkpoints, written, logged, calls = zip(*found, strict=True)
    assert checkpoints[0] > 2 * checkpoints[1] > 2 * checkpoints[2]
    assert written[0] > written[1] > written[2]
    assert logged[0] > logged[1] > logged[2], "the first change of a page after a checkpoint costs the whole page"
    assert calls[0] < calls[2]


def test_overcommitted_memory_collapses_and_then_the_server_is_killed() -> None:
    def with_sessions_of(mib: int) -> PracticeServer:
        settings = {"buffer_cache_bytes": 4 * GIB, "session_memory_bytes": mib * 2**20}
        return server(8, 16, settings=settings)

    found = [
        throughput(play(with_sessions_of(mib), [(LOOKUP, 1)], workers=64, seconds=length(1.5, 1.0))[0], 0.5)
        for mib in (40, 150, 172, 190)
    ]
    assert found[1] > 0.7 * found[0], "below memory it only costs the system's cache"
    assert found[2] < 0.7 * found[1] and found[3] < 0.35 * found[1]
    texts, closed = [PlayStatement(text=LOOKUP, weight=1)], Arrival(workers=64)
    state = with_sessions_of(260).trial_state(NOW, texts, {}, [], [], closed)
    assert state.memory.killed and "18.0 GiB" in state.memory.killed_words


def test_one_seed_one_run_page_by_page() -> None:
    on = server(2, 2)
    first, second = (play(on, [(LOOKUP, 1), (UPDATE, 1)], workers=4, seconds=2)[0] for _ in range(2))
    assert first.executions.equals(second.executions) and first.ticks.equals(second.ticks)


@pytest.mark.parametrize("cold", [True, False])
def test_a_cold_start_reads_until_the_cache_is_filled(cold: bool) -> None:
    on = server(0.3, 8, settings={"buffer_cache_bytes": GIB})
    result, _ = play(on, [(LOOKUP, 1)], workers=8, seconds=6, cold=cold)
    reads = result.ticks["pages_read"].diff().fill_null(result.ticks["pages_read"][0])
    assert (reads[0] > 5000 and reads[-1] < 0.3 * reads[0]) if cold else reads.sum() == 0


def test_orders_and_arrivals() -> None:
    on = server(1, 8)
    texts = [PlayStatement(text=LOOKUP, weight=1), PlayStatement(text=UPDATE, weight=3)]

    def run(**arrival: object) -> list[int]:
        wanted = PlayRequest(statements=texts, arrival=Arrival.model_validate(arrival), seconds=2, seed=3)
        state = on.trial_state(NOW, texts, {}, [], [], wanted.arrival)
        frame = event_run(state, wanted).play(2).executions.sort("start_s")
        return list(frame["statement"])

    in_file_order = run(kind="closed", workers=1, order="file")
    assert in_file_order[:6] == [0, 1, 0, 1, 0, 1]
    own = run(kind="closed", workers=2, order="own", think_s=0.01, think="fixed")
    assert abs(own.count(0) - own.count(1)) < 0.2 * len(own)
    assert len(run(kind="recorded", times_s=[0.1, 0.1, 0.5, 1.9])) == 4
    uniform = len(run(kind="closed", workers=1, think_s=0.05, think_most_s=0.15, think="uniform"))
    assert 15 <= uniform <= 25
