"""Every setting has its effect, in the direction that common practice knows."""

from __future__ import annotations

import numpy as np
import pytest

from practice_fleet import frames
from practice_fleet.history import History
from practice_fleet.live import LiveServer
from practice_fleet.operations.host import GrowVolume
from practice_fleet.operations.settings import Restart, SetSetting
from practice_fleet.physics.clock import solve
from practice_fleet.physics.upkeep import upkeep
from practice_fleet.physics.wait_events import LATCH, Limits
from practice_fleet.scenario.document import Scenario
from practice_fleet.server import HOUR_US, MINUTE_US, PracticeServer
from practice_fleet.settings import CATALOGUE
from tests.practice.bench import LOOKUP, SCAN, UPDATE, play, server, table
from tests.practice.test_queueing import host, visits

NOW = 1_795_521_600_000_000
MIB = 2**20
# figure of a state at rest that the setting moves, the value tried, and whether the figure then rises
MOVES: dict[str, tuple[object, str, bool]] = {
    "buffer_cache_bytes": (512 * MIB, "system_hits", False),
    "read_ahead_pages": (8, "chunk_reads", True),
    "sort_memory_bytes": (64 * 1024, "temp_reads", True),
    "temp_table_memory_bytes": (64 * 1024, "temp_reads", True),
    "log_buffer_bytes": (64 * 1024, "log_s", True),
    "commit_mode": ("background", "commits", False),
    "session_memory_bytes": (256 * MIB, "swap_reads", True),
    "max_sessions": (150, "sessions", True),
    "random_read_cost": (0.2, "chunk_reads", False),
    "log_capacity_bytes": (32 * MIB, "log_bytes", True),
    "checkpoint_interval_s": (10, "log_bytes", True),
    "background_write_rate": (0, "evict_writes", True),
    "background_write_rate_max": (100_000, "evict_writes", False),
    "upkeep_threshold": (0.9, "dead_rows", True),
    "upkeep_enabled": ("off", "dead_rows", True),
    "checkpoint_spread": (0.05, "peak", True),
    "statistics_detail": (1, "misjudged", True),
}
# these have tests of their own, below, in test_locks.py or in test_reporting.py
APART = {
    "buffer_cache_partitions", "cache_warm_fraction", "lock_timeout_s", "statement_timeout_s",
    "idle_transaction_timeout_s", "parallel_workers", "exchange_partitions", "broadcast_limit_bytes", "scan_split_bytes",
    "deadlock_check_s",
}  # fmt: skip
GROUPED = "SELECT filler, count(*) FROM t GROUP BY filler ORDER BY filler"
RARE = "SELECT count(*) FROM t WHERE filler = '18'"
LOAD = "INSERT INTO t (id, filler) VALUES ($1, $2)"
SOME = "SELECT filler FROM t WHERE id < 2000000"


def figures(setting: str, value: object) -> dict[str, float]:
    """Sums over a lookup, an update, a scan and a sorted aggregate of one server whose log is short."""
    small = {"checkpoint_interval_s": 60} if setting == "background_write_rate" else {}
    on = server(
        4, 2, skew=0.9, settings={"max_sessions": 120, "buffer_cache_bytes": 64 * MIB} | small | {setting: value}
    )
    document = on.scenario.model_dump()
    statement = document["databases"]["bench"]["statements"].pop("look")
    texts = {
        "look": (LOOKUP, 300),
        "change": (UPDATE, 900),
        "scan": (SCAN, 0.01),
        "sums": (GROUPED, 0.01),
        "some": (SOME, 0.01),
        "rare": (RARE, 0.01),
        "load": (LOAD, 0.01),
    }
    document["databases"]["bench"]["statements"] = {
        key: statement | {"sql": sql, "rate": rate} for key, (sql, rate) in texts.items()
    }
    document["databases"]["bench"]["tables"]["t"]["columns"]["filler"] |= {
        "distinct": 10_000,
        "common": {"17": 0.2, "18": 0.1},
    }
    document["databases"]["bench"]["statements"]["load"]["written_bytes"] = 2e6
    made = Scenario.model_validate(document)
    one = PracticeServer(made, *made.servers()["bench-a"], NOW)
    live = LiveServer(History(one), NOW - HOUR_US)
    live.do(SetSetting(NOW - 12 * HOUR_US, name=setting, value=value))  # type: ignore[arg-type]
    live.do(Restart(NOW - 11 * HOUR_US))
    state = one.state(NOW)
    found = {
        name: sum(float(getattr(v, name)) for v in state.visits.values())
        for name in (
            "pages_read",
            "chunk_reads",
            "temp_reads",
            "log_s",
            "commits",
            "swap_reads",
            "log_bytes",
            "evict_writes",
            "system_hits",
        )
    }
    at = NOW + np.arange(60) * MINUTE_US
    found["peak"] = float(np.max(state.background(at)))
    found["dead_rows"] = max(state.now.dead_shares.values(), default=0.0)
    found["log_bytes"] = state.visits["change"].log_bytes
    found["sessions"] = Limits.of(state.settings).max_sessions
    plans = state.plans["rare"].walk()
    found["misjudged"] = max(abs(np.log10(max(n.rows_expected, 1) / max(n.rows_true, 1))) for n in plans)
    return found


@pytest.fixture(scope="module")
def usual() -> dict[str, dict[str, float]]:
    return {"": figures("read_ahead_pages", 64), "by time": figures("background_write_rate", 200)}


def test_no_setting_is_without_effect() -> None:
    assert set(MOVES) | APART == set(CATALOGUE)


@pytest.mark.parametrize("setting", sorted(MOVES))
def test_a_setting_moves_its_figure(setting: str, usual: dict[str, dict[str, float]]) -> None:
    value, figure, rises = MOVES[setting]
    before = usual["by time" if setting == "background_write_rate" else ""][figure]
    after = figures(setting, value)[figure]
    assert after > 1.05 * before if rises else after < 0.95 * before, (before, after)


def test_more_parts_of_the_cache_wait_less_for_their_latch_by_clock_and_by_events() -> None:
    def waited(partitions: int, cores: int = 48) -> float:
        lookups = visits(processor_s=200e-6, pages_requested=120.0)
        limits = Limits(1000, cache_partitions=partitions)
        model = solve(np.array([[20_000.0]]), [lookups], host(cores), limits)
        return float(model.seconds[LATCH, 0, 0])

    assert waited(1) > 10 * waited(8) > 50 * waited(64)
    on = server(0.05, 4, cores=32, settings={"buffer_cache_bytes": 512 * MIB})
    spins = {
        n: play(on, [(SCAN, 1)], workers=24, seconds=3, settings={"buffer_cache_partitions": n})[0]
        .executions["wait.cache_latch"]
        .mean()
        for n in (1, 16)
    }
    assert spins[1] > 5 * spins[16]


@pytest.fixture
def live(scenario: Scenario) -> LiveServer:
    plain = scenario.model_copy(update={"troubles": []})
    return LiveServer(History(PracticeServer(plain, *plain.servers()["desk-a"], NOW - HOUR_US)), NOW - HOUR_US)


def read(live: LiveServer, at: int) -> float:
    return float(frames.metric_frame(live.history, at, at + MINUTE_US)["pages_read"][0])


def test_a_cache_that_is_read_back_in_is_warm_sooner(live: LiveServer, scenario: Scenario) -> None:
    live.do(Restart(NOW))
    cold = read(live, NOW)
    plain = scenario.model_copy(update={"troubles": []})
    other = LiveServer(History(PracticeServer(plain, *plain.servers()["desk-a"], NOW - HOUR_US)), NOW - HOUR_US)
    other.do(SetSetting(NOW - HOUR_US // 2, name="cache_warm_fraction", value=0.9))
    other.do(Restart(NOW))
    assert read(other, NOW) < 0.7 * cold
    states = [one.server.state(NOW + 1).now.background_pages_per_s for one in (other, live)]
    assert states[0] > 100 + states[1], "reading the pages back is work"


def test_upkeep_that_is_switched_off_lets_tables_grow_until_it_is_on_again(live: LiveServer) -> None:
    live.do(SetSetting(NOW, name="upkeep_enabled", value="off"))
    grown = [live.server.state(NOW + hours * HOUR_US).catalogue.tables["branch_day"].bloat for hours in (-1, 1, 13, 49)]
    assert grown[0] <= 1.0 < grown[1] < grown[2] < grown[3]
    age = [float(live.counters(NOW + hours * HOUR_US).levels["transaction_age"]) for hours in (1, 25)]
    commits = frames.metric_frame(live.history, NOW + HOUR_US, NOW + 25 * HOUR_US)["commits"].sum()
    assert age[1] - age[0] > 0.6 * commits, "numbers are used up by commits, at the week's mean rate"
    live.do(SetSetting(NOW + 50 * HOUR_US, name="upkeep_enabled", value="on"))
    after = NOW + 51 * HOUR_US
    assert live.server.state(after).catalogue.tables["branch_day"].bloat == 1.0
    assert live.counters(after).levels["transaction_age"] < age[1]


def test_upkeep_by_arithmetic() -> None:
    """1 M rows of which 10 die each second: at 20% cleaned every 20,000 s; at 5% four times as often."""
    one = {"t": table(1).model_copy(update={"rows": 1e6})}
    pages = one["t"].pages
    found = {share: upkeep(one, {"t": 10.0}, share, None) for share in (0.2, 0.05)}
    assert found[0.2].pages_per_s == pytest.approx(2 * pages / 20_000)
    assert found[0.05].pages_per_s == pytest.approx(2 * pages / 5_000)
    assert found[0.2].growth["t"] == 1 and found[0.05].growth["t"] == pytest.approx(1.025 / 1.1)
    off = upkeep(one, {"t": 10.0}, 0.2, 10.0)
    assert off.growth["t"] == pytest.approx((1.1 + 0.36) / 1.1) and off.pages_per_s == 0
    assert off.dead_shares["t"] == pytest.approx(0.46 / 1.46)


def test_a_volume_grows_slowly_at_first(live: LiveServer) -> None:
    before = live.host(NOW).volumes[0].capacity_bytes
    usual = live.server.state(NOW).hardware.data_volume.latency_s
    grow = GrowVolume(NOW, volume="data", capacity=2 * before)
    live.do(grow)
    assert live.host(NOW + 1).volumes[0].capacity_bytes == 2 * before
    assert live.server.state(NOW + MINUTE_US).hardware.data_volume.latency_s > 1.2 * usual
    assert live.server.state(grow.done_us + 1).hardware.data_volume.latency_s == usual
    assert HOUR_US / 2 < grow.done_us - NOW < 6 * HOUR_US
    texts = [m.text for m in live.messages(NOW - 1, grow.done_us + MINUTE_US).messages]
    assert texts[0].startswith("volume data grown") and texts[-1].endswith("full speed again")


def test_a_server_that_needs_more_than_memory_and_swap_is_killed_and_comes_back(scenario: Scenario) -> None:
    trouble = {
        "cause": "memory_overcommitted",
        "servers": ["desk-a"],
        "start_minutes_ago": -30,
        "end_minutes_ago": -60,
        "size": 2.5,
    }
    made = Scenario.model_validate(scenario.model_dump(exclude={"troubles"}) | {"troubles": [trouble]})
    live = LiveServer(History(PracticeServer(made, *made.servers()["desk-a"], NOW)), NOW)
    during, after = NOW + 40 * MINUTE_US, NOW + 70 * MINUTE_US
    before = live.counters(NOW + 20 * MINUTE_US).values["calls"]
    assert live.server.is_down(during) and not live.server.is_down(after)
    frame = frames.metric_frame(History(live.server), NOW, NOW + 90 * MINUTE_US)
    assert frame.filter((frame["at_us"] > NOW + 31 * MINUTE_US) & (frame["at_us"] < NOW + 59 * MINUTE_US)).is_empty()
    killed = [m for m in live.messages(NOW, after).messages if m.text.startswith("the host killed the server")]
    assert len(killed) == 3 and killed[0].severity == "error"
    assert live.started_us(after) == NOW + 60 * MINUTE_US and live.started_us(NOW + MINUTE_US) < NOW + MINUTE_US
    ten_minutes = live.counters(after).values["calls"]
    assert 0 < ten_minutes < before, "counted anew since it came back"


def test_what_the_host_is_set_to_counts() -> None:
    """Memory given up early is read back from swap; whole-page writes need no pages in the log; huge pages map more."""

    def state(**host: object):  # type: ignore[no-untyped-def]
        on = server(
            4,
            3,
            settings={"buffer_cache_bytes": 256 * MIB, "max_sessions": 500, "log_capacity_bytes": 64 * MIB},
            skew=0.8,
        )
        now = on.conditions(NOW)
        now.host = now.host.model_copy(update=host)
        now.statements = {"change": now.statements["look"].model_copy(update={"sql": UPDATE})}
        return now.state({"change": 300.0}, {"change": 300.0})

    plain, eager = state(), state(swap_tendency=1.0)
    assert plain.memory.swapped == 0 and eager.memory.swapped == pytest.approx(0.1)
    assert eager.visits["change"].swap_reads > 0 and eager.memory.system_cache > plain.memory.system_cache
    whole = state(atomic_writes=True)
    assert whole.visits["change"].log_bytes < 0.2 * plain.visits["change"].log_bytes
    assert whole.situation.checkpoints.every_s > plain.situation.checkpoints.every_s
    assert state(huge_pages=True).memory.page_tables < plain.memory.page_tables / 100


@pytest.mark.parametrize("what", ["power", "swap_tendency"])
def test_a_badly_set_host_is_slower(scenario: Scenario, what: str) -> None:
    trouble = {"cause": "host_setting", "servers": ["desk-a"], "start_minutes_ago": 60, "what": what, "size": 0.9}
    made = Scenario.model_validate(scenario.model_dump(exclude={"troubles"}) | {"troubles": [trouble]})
    history = History(PracticeServer(made, *made.servers()["desk-a"], NOW))
    now, before = history.at(NOW), history.at(NOW - 2 * HOUR_US)
    slower = [float((b.model.seconds * b.model.rate).sum() / b.model.rate.sum()) for b in (now, before)]
    assert slower[0] > 1.01 * slower[1]


def test_a_setting_that_is_put_back_says_so(scenario: Scenario) -> None:
    trouble = {"cause": "sort_spills", "servers": ["desk-a"], "start_minutes_ago": 60, "end_minutes_ago": 30}
    made = Scenario.model_validate(scenario.model_dump(exclude={"troubles"}) | {"troubles": [trouble]})
    live = LiveServer(History(PracticeServer(made, *made.servers()["desk-a"], NOW)), NOW - HOUR_US)
    said = live.messages(NOW - 2 * HOUR_US, NOW).messages
    assert [m.text for m in said] == ["sort_memory_bytes set to 262144", "sort_memory_bytes set back"]
    assert said[1].at_us == NOW - 30 * MINUTE_US and said[1].change == "setting"
