"""Rules on small literal tables: what each must see, and what it must not be confused with."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

import pytest

from hardy_gauge.core.diagnosis.rules.cluster.members import MemberDown, MembersDisagree
from hardy_gauge.core.diagnosis.rules.cluster.not_answering import ServerDown
from hardy_gauge.core.diagnosis.rules.cluster.replica_query_cancelled import ReplicaQueryCancelled
from hardy_gauge.core.diagnosis.rules.cluster.setting_harmed import SettingHarmed
from hardy_gauge.core.diagnosis.rules.cluster.spreading import BroadcastTooLarge, PartitionsWrong
from hardy_gauge.core.diagnosis.rules.host.clock_off import ClockOff
from hardy_gauge.core.diagnosis.rules.indexes.write_amplification import WriteAmplification
from hardy_gauge.core.diagnosis.rules.memory.memory_overcommitted import CacheTooLarge, MemoryOvercommitted
from hardy_gauge.core.diagnosis.rules.planning.value_sensitive_plan import ValueSensitivePlan
from hardy_gauge.core.diagnosis.rules.storage.log_too_small import LogTooSmall
from hardy_gauge.core.diagnosis.rules.storage.volume_slow import DataVolumeSlow, VolumeShared
from hardy_gauge.core.diagnosis.rules.upkeep.running_out import StorageFilling, TemporaryFilesFill, TransactionAge
from hardy_gauge.core.diagnosis.rules.work.jobs import JobInRush, StatisticsJobInRush
from hardy_gauge.core.evidence.evidence import Evidence, Sampled, Samples, StatementWork, Unknown
from hardy_gauge.core.evidence.sources import (
    ChangeFact,
    ExecutionKinds,
    HostFacts,
    IndexUse,
    Message,
    NoAnswer,
    PlanTurn,
    RecordedFigure,
    RunningJob,
    SettingFact,
    TableUse,
    VolumeFact,
)
from hardy_gauge.core.plans.model import Plan, Step
from hardy_gauge.core.reference.typical_day import Typical
from hardy_gauge.core.time.span import Span

HOUR = Span(7_200_000_000, 10_800_000_000)
GiB = 2**30


def usual(value: float, centre: float, **more: Any) -> RecordedFigure:
    return RecordedFigure(value, Typical(centre, centre * 0.9, centre * 1.1, 5), **more)


def seen(**more: Any) -> Evidence:
    samples = Samples(
        2.0,
        3600.0,
        {"f": Sampled(1.0, 0.9, 1.1)},
        {"data read": Sampled(1.0, 0.9, 1.1), "memory": Sampled(0.5, 0.4, 0.6)},
    )
    none = Unknown("none")
    return replace(Evidence("a", "test", HOUR, 3600.0, none, samples, none), **more)


def table(*indexes: IndexUse, **more: Any) -> TableUse:
    whole = TableUse("loan", 1e6, 10**9, 0.0, 0, 20.0, None, None, None, 1e6, {}, indexes)
    return replace(whole, **more)


def index(name: str, lookups: float, **more: Any) -> IndexUse:
    return replace(IndexUse(name, ("a",), False, "", 10**8, lookups, HOUR.until_us - 3_000_000_000), **more)


def test_write_amplification_needs_three_that_nobody_reads() -> None:
    idle = [index(f"i{n}", 0) for n in range(3)]
    new = [ChangeFact(HOUR.since_us, "schema", "3 indexes built on loan", "loan", "", "")]
    (found,) = WriteAmplification().examine(seen(tables={"loan": table(index("pk", 9e5), *idle)}, changes=new))
    assert found.grade == "plan" and found.subject.name == "loan" and found.remedies[0].script.count("DROP INDEX") == 3
    for others in (
        idle[:2],
        [*idle[:2], index("u", 0, unique=True)],
        [*idle[:2], index("y", 0, counted_since_us=HOUR.until_us)],
    ):
        assert not WriteAmplification().examine(seen(tables={"loan": table(index("pk", 9e5), *others)}, changes=new))
    assert not WriteAmplification().examine(seen(tables={"loan": table(*idle, writes_per_s=0.0)}, changes=new))
    assert not WriteAmplification().examine(seen(tables={"loan": table(*idle)})), (
        "counted for less than an hour, and not new"
    )
    old = [replace(one, counted_since_us=HOUR.until_us - 90_000_000_000) for one in idle]
    assert WriteAmplification().examine(seen(tables={"loan": table(*old)}))


@pytest.mark.parametrize(("skew_s", "words"), [(120.0, "120 s ahead"), (-300.0, "300 s behind"), (0.4, "")])
def test_clocks(skew_s: float, words: str) -> None:
    found = ClockOff().examine(seen(clock_skew_s=skew_s))
    assert words in found[0].title if words else not found


def test_a_setting_harmed_when_figures_grew_since_and_calls_did_not() -> None:
    change = ChangeFact(
        HOUR.since_us + 600_000_000, "setting", "sort_memory_bytes set to 64", "sort_memory_bytes", "4 MiB", "64 kiB"
    )
    figures = {"temporary_bytes": usual(9e6, 1e6), "calls": usual(100, 100)}
    (found,) = SettingHarmed().examine(seen(figures=figures, changes=[change]))
    assert found.subject.name == "sort_memory_bytes" and "back to 4 MiB" in found.remedies[0].title
    assert found.signal is not None and found.signal.at_us == change.at_us
    assert not SettingHarmed().examine(seen(figures=figures | {"calls": usual(300, 100)}, changes=[change])), (
        "a busy day"
    )
    assert not SettingHarmed().examine(seen(figures={"temporary_bytes": usual(1.1e6, 1e6)}, changes=[change]))
    old = replace(change, at_us=HOUR.since_us - 3_000_000_000)
    assert not SettingHarmed().examine(seen(figures=figures, changes=[old]))


WORK = StatementWork(
    "f", "SELECT id FROM loan WHERE a = $1", 1000.0, 100.0, 50_000.0, None, None, Typical(0.02, 0.01, 0.03, 5)
)


def test_two_kinds_of_value_are_seen_in_executions_or_in_the_spread() -> None:
    kinds = ExecutionKinds(0.1, 0.9, 500.0, 1.0, 0.9, 0.011, 1)
    rule = ValueSensitivePlan()
    (found,) = rule.examine(seen(statements={"f": WORK}, executions={"f": kinds}, plan_turns=[]))
    assert found.subject.name == "f" and found.facts[1].value == 0.1
    spread = replace(WORK, variation=3.0, typical_rows_per_call=Typical(2.0, 2.0, 2.0, 5))
    assert rule.examine(seen(statements={"f": spread}, executions={}, plan_turns=[]))
    even = replace(spread, variation=0.9)  # each call fetches more: that is an over-fetch
    assert not rule.examine(seen(statements={"f": even}, executions={}, plan_turns=[]))
    turned = [PlanTurn(HOUR.since_us, "f", "p", "q", 0.02, 0.1)]
    assert not rule.examine(seen(statements={"f": WORK}, executions={"f": kinds}, plan_turns=turned)), (
        "the plan changed"
    )
    assert not rule.examine(
        seen(statements={"f": WORK}, executions={"f": replace(kinds, small_s=0.2)}, plan_turns=[])
    ), "all are slower"


def test_a_slow_volume_is_busier_and_a_shared_one_is_not() -> None:
    figures = {"volume_read_latency_s.data": usual(0.004, 0.001), "volume_reads.data": usual(200, 200)}
    slow = figures | {"data_volume_busy_s": usual(0.8, 0.2)}
    shared = figures | {"data_volume_busy_s": usual(0.2, 0.2)}
    assert DataVolumeSlow().examine(seen(figures=slow)) and not VolumeShared().examine(seen(figures=slow))
    assert VolumeShared().examine(seen(figures=shared)) and not DataVolumeSlow().examine(seen(figures=shared))
    more = slow | {"volume_reads.data": usual(900, 200)}
    assert not DataVolumeSlow().examine(seen(figures=more)), "more reads, not slower ones"


def test_memory_is_promised_twice_by_sessions_or_by_the_cache() -> None:
    figures = {"swap_in_pages": usual(500, 0.001), "memory_used_bytes": usual(7.9 * GiB, 6 * GiB)}
    host = HostFacts(4, 8 * GiB)

    def with_cache(size: float) -> Evidence:
        cache = SettingFact("page_pool", size, 1, "B", "at restart", (), "buffer_cache_bytes")
        return seen(figures=figures, host=host, settings={"page_pool": cache})

    assert MemoryOvercommitted().examine(with_cache(2 * GiB)) and not CacheTooLarge().examine(with_cache(2 * GiB))
    assert CacheTooLarge().examine(with_cache(6 * GiB)) and not MemoryOvercommitted().examine(with_cache(6 * GiB))


def test_numbers_age_fast_where_nothing_freezes_them() -> None:
    figures = {"transaction_age": RecordedFigure(3e7, None, 3e7, 1e5), "commits": usual(2000, 30)}
    left_out = table(transaction_age=3e7, upkeep_off="upkeep_enabled = off", options={"upkeep_enabled": "off"})
    (found,) = TransactionAge().examine(seen(figures=figures, tables={"loan": left_out}))
    assert found.grade == "plan" and found.subject.name == "loan" and "Take back" in found.remedies[0].title
    assert not TransactionAge().examine(seen(figures=figures, tables={"loan": table(transaction_age=3e7)})), (
        "upkeep will freeze it"
    )


def test_a_volume_that_fills_since_two_hours_is_seen() -> None:
    slowly, fast = VolumeFact("data", 5e11, 1e12, 300.0), VolumeFact("data", 5e11, 1e12, 1.5, True)
    assert not StorageFilling().examine(seen(volumes=[slowly]))
    (found,) = StorageFilling().examine(seen(volumes=[fast]))
    assert found.grade == "act" and found.title == "Volume data is full in 36 hours"


def test_a_job_in_the_rush_is_one_that_is_not_there_on_other_days() -> None:
    job = RunningJob("j", "BACKUP DATABASE", "ops", "backup", 1.0, HOUR.since_us, False)
    figures = {"pages_read": usual(900, 300)}
    (found,) = JobInRush().examine(seen(jobs=[job], figures=figures))
    assert found.grade == "plan" and found.signal is not None and found.signal.at_us == HOUR.since_us
    assert JobInRush().examine(seen(jobs=[job], figures={}))[0].grade == "note"
    assert not JobInRush().examine(seen(jobs=[replace(job, usual=True)], figures=figures))
    assert not StatisticsJobInRush().examine(seen(jobs=[job], figures=figures))


def test_calls_that_are_ended_on_a_replica() -> None:
    """The second text is PostgreSQL's (documentation, chapter 27.4.2)."""
    for shape in (
        "call cancelled: rows that it needed were removed by the log",
        "canceling statement due to conflict with recovery",
    ):
        said = [Message("error", "", shape, 7, HOUR.since_us, "f", "")]
        found = ReplicaQueryCancelled().examine(seen(messages=said, statements={"f": WORK}, role="replica"))
        assert [one.subject.name for one in found] == ["f"]
        assert not ReplicaQueryCancelled().examine(seen(messages=said, statements={"f": WORK}, role="primary"))
    other = [Message("error", "", "canceling statement due to statement timeout", 7, HOUR.since_us, "f", "")]
    assert not ReplicaQueryCancelled().examine(seen(messages=other, role="replica"))


def setting(neutral: str, value: Any, **more: Any) -> SettingFact:
    return replace(SettingFact(neutral, value, value, "B", "at once", (), neutral), **more)


def test_settings_are_changed_in_steps_from_the_servers_own_figures() -> None:
    """What is written in an interval and half as much again, in the setting's unit, with the way back."""
    figures = {"checkpoints": usual(0.05, 0.01), "checkpoints_forced": usual(0.05, 0.01), "log_bytes": usual(1e6, 1e6)}
    settings = {
        "log": setting("log_capacity_bytes", 262144, name="max_wal_size", unit="kiB"), "every": setting("checkpoint_interval_s", 300, unit="s"),
    }  # fmt: skip
    (found,) = LogTooSmall().examine(seen(figures=figures, settings=settings, engine="postgresql"))
    (back,) = found.remedies
    assert (
        back.script == "ALTER SYSTEM SET max_wal_size = '430MB';\nSELECT pg_reload_conf();"
        and 430 * 2**20 >= 1.5 * 300 * 1e6
    )
    assert (
        back.undo.startswith("ALTER SYSTEM SET max_wal_size = '256MB';")
        and back.applies == "at once"
        and not back.not_tried
    )
    small = settings | {"log": setting("log_capacity_bytes", 32 * 2**20)}
    (found,) = LogTooSmall().examine(seen(figures=figures, settings=small))
    assert found.remedies[0].script == f"SET log_capacity_bytes = {4 * 32 * 2**20};", "four times as large in one step"


def test_what_cannot_be_tried_says_why() -> None:
    found = ClockOff().examine(seen(clock_skew_s=90.0))
    assert found[0].remedies[0].not_tried


def test_temporary_files_that_fill_a_volume() -> None:
    filling = VolumeFact("data", 5e11, 1e12, 1.0, True)  # 5.8 MB/s
    (found,) = TemporaryFilesFill().examine(seen(volumes=[filling], figures={"temporary_bytes": usual(5e6, 1e3)}))
    assert found.subject.name == "data" and found.grade == "act"
    assert not TemporaryFilesFill().examine(seen(volumes=[filling], figures={"temporary_bytes": usual(1e5, 1e3)})), (
        "tables grow"
    )


def test_sides_that_are_sent_whole_and_parts_that_are_too_few() -> None:
    sent = Step("broadcast", "send every row", rows_seen=840_000.0, own_time_s=0.2)
    moved = Step("exchange", "move rows", rows_seen=300_000.0, own_time_s=0.1)
    settings = {
        "parts": setting("exchange_partitions", 1, default=16), "tasks": setting("parallel_workers", 2),
        "limit": setting("broadcast_limit_bytes", 2**40, default=10 * 2**20),
    }  # fmt: skip
    work = replace(WORK, plan=Plan(Step("gather", "gather", steps=[sent, moved], time_s=0.7), "test", time_s=0.7))
    (wide,) = BroadcastTooLarge().examine(seen(statements={"f": work}, settings=settings))
    assert wide.facts[1].value == 840_000 and wide.remedies[0].script == "SET broadcast_limit_bytes = 10485760;"
    (few,) = PartitionsWrong().examine(seen(statements={"f": work}, settings=settings))
    assert few.title == "Rows move between workers in 1 part" and few.remedies[0].undo == "SET exchange_partitions = 1;"
    enough = settings | {"parts": setting("exchange_partitions", 16)}
    assert not PartitionsWrong().examine(seen(statements={"f": work}, settings=enough))


def test_a_server_that_does_not_answer() -> None:
    gone = NoAnswer(HOUR.until_us - 300_000_000, "no answer within 5 s")
    (found,) = ServerDown().examine(seen(no_answer=gone))
    assert found.grade == "act" and found.signal is not None and found.signal.at_us == gone.since_us
    assert not ServerDown().examine(seen()) and not ServerDown().examine(
        seen(no_answer=replace(gone, since_us=HOUR.until_us))
    )
    assert not ServerDown().examine(seen(no_answer=gone, role="member"))
    (mine,) = MemberDown().examine(seen(no_answer=gone, role="member"))
    assert mine.cause == "member_down"


def test_a_member_that_is_missed_is_down_where_it_does_not_answer_and_else_they_disagree() -> None:
    figures = {"members_seen": usual(3, 4, last=3.0)}
    alone = seen(figures=figures, role="member")
    assert MembersDisagree().examine(alone) and not MemberDown().examine(alone)
    silent = replace(alone, silent_beside=["c"])
    assert MemberDown().examine(silent)[0].grade == "act" and not MembersDisagree().examine(silent)
    meant = replace(
        silent,
        beside=[ChangeFact(HOUR.since_us, "software", "shutting down: asked for by an administrator", "", "", "")],
    )
    assert MemberDown().examine(meant)[0].grade == "note"


def test_what_would_be_won_back_is_what_is_above_the_usual() -> None:
    """A session sampled (0.9 to 1.1), where 0.2 is usual (0.1 to 0.3): 0.8 of it, 0.6 to 1.0, and a quarter more either way."""
    (found,) = ValueSensitivePlan().examine(
        seen(
            statements={"f": replace(WORK, typical_time_per_s=Typical(0.2, 0.1, 0.3, 5))},
            executions={"f": ExecutionKinds(0.1, 0.9, 500.0, 1.0, 0.9, 0.011, 1)},
            plan_turns=[],
        )
    )
    (won,) = found.remedies[0].expected
    assert (
        won.value == pytest.approx(0.8)
        and won.low == pytest.approx(0.75 * 0.6)
        and won.high == pytest.approx(1.25 * 1.0)
    )
    assert not found.remedies[1].expected
