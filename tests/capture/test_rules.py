"""Capture rules: as files, as they are followed, and what they leave out."""

from __future__ import annotations

from datetime import UTC, datetime, timedelta
from typing import Any

import polars as pl
import pytest
from hypothesis import given
from hypothesis import strategies as st

from hardy_gauge.capture.backoff import Backoff
from hardy_gauge.capture.recorder import Recorder
from hardy_gauge.capture.rules import STARTING_SETS, CaptureRule, Only, rule_for
from hardy_gauge.capture.settings_file import BadSettings, as_yaml, read_rules
from hardy_gauge.capture.statement_registry import StatementRegistry
from hardy_gauge.probes import protocol as p

SECOND = 1_000_000
NOW = 1_795_000_000 * SECOND


class OneServer:
    """A probe whose answers the test sets."""

    def __init__(self) -> None:
        self.calls = 0.0
        self.seen = [
            p.Session(
                session=n, user=f"u{n % 2}", service="s", database="d", statement_key=f"k{n % 3}", wait_event="io"
            )
            for n in range(6)
        ]
        self.asked = 0
        self.took = 0.0

    def identity(self) -> p.Identity:
        return p.Identity(server="a", cluster="c", role="single", engine="practice", engine_version="1",
                          started_at_us=1, clock_us=NOW, abilities=["counters", "statements", "sessions"])  # fmt: skip

    def host(self) -> p.Host:
        return p.Host()

    def counters(self) -> p.Counters:
        return p.Counters(at_us=int(NOW + self.calls * SECOND), started_at_us=1, values={"calls": self.calls})

    def statements(self) -> p.StatementCounters:
        self.calls += 60
        rows = [
            p.StatementCounter(key=f"k{n}", text=f"SELECT {word} FROM shelf", database="d", user="u", service="s",
                               calls=self.calls, time_s=self.calls * seconds, rows_returned=0)
            for n, (word, seconds) in enumerate([("light", 0.001), ("weighty", 0.02), ("other", 0.5)])
        ]  # fmt: skip
        return p.StatementCounters(at_us=int(NOW + self.calls * SECOND), started_at_us=1, statements=rows)

    def sessions(self) -> p.Sessions:
        self.asked += 1
        return p.Sessions(at_us=NOW, sessions=self.seen)

    def close(self) -> None:
        return


def recorded(rule: CaptureRule, seconds: int = 240) -> tuple[Recorder, OneServer]:
    probe = OneServer()
    recorder = Recorder(1, probe, StatementRegistry("practice"), set(), rule, NOW, NOW)  # type: ignore[arg-type]
    recorder.abilities = {"counters", "statements", "sessions"}
    for n in range(3):
        recorder.registry.texts[f"k{n}"] = f"SELECT {('light', 'weighty', 'other')[n]} FROM shelf"
    for second in range(seconds):
        recorder.tick(NOW + second * SECOND)
    return recorder, probe


def frames(recorder: Recorder) -> dict[str, pl.DataFrame]:
    """What would be stored; taken and given back as when it could not be."""
    taken = recorder.take()
    assert taken is not None
    found = taken.frames(recorder.registry)
    recorder.take_back(taken)
    return found


def kinds(recorder: Recorder) -> set[str]:
    return {trouble.kind for trouble in recorder.batch.troubles if trouble.to_us is None}


def test_a_rule_without_anything_records_everything() -> None:
    recorder, probe = recorded(CaptureRule())
    assert probe.asked == 240 and len(recorder.batch.samples) == 6 * 240 and len(recorder.work.statements) == 12
    assert kinds(recorder) - {"clock"} == set()
    assert "weight" not in frames(recorder)["sample"].columns


def test_sessions_less_often_weigh_more() -> None:
    recorder, probe = recorded(CaptureRule(sample=5))
    assert probe.asked == 48
    assert frames(recorder)["sample"]["weight"].sum() == 6 * 240, "they stand for the same time"


def test_one_session_in_several_stands_for_the_others() -> None:
    rule = CaptureRule(every_nth_session=3)
    followed = [n for n in range(6) if rule.follows(n)]
    recorder, _ = recorded(rule)
    frame = frames(recorder)["sample"]
    assert 0 < len(followed) < 6 and sorted(frame["session"].unique()) == followed
    assert set(frame["weight"]) == {3.0} and set(frame["one_in"]) == {3}
    assert any("one session in 3" in t.reason for t in recorder.batch.troubles if t.kind == "partial")


@pytest.mark.parametrize("one_in", [2, 5, 16, 1000])
@pytest.mark.parametrize("step", [1, 2, 5, 16])
def test_sessions_are_thinned_alike_whatever_the_steps_of_their_numbers(one_in: int, step: int) -> None:
    rule = CaptureRule(every_nth_session=one_in)
    followed = sum(rule.follows(40_000 + step * n) for n in range(20_000))
    assert followed == pytest.approx(20_000 / one_in, rel=0.1)


def test_values_of_executions_are_kept_only_where_the_rule_says_so() -> None:
    text = "SELECT note FROM loan WHERE patron = 4711"
    row = p.ExecutionRecord(ended_at_us=NOW, duration_s=1.0, statement_key="k", user="u", service="s", database="d", text=text)  # fmt: skip
    asked: list[bool] = []
    for literals in ("replaced", "kept"):
        recorder, probe = recorded(CaptureRule(literals=literals), seconds=0)

        def executions(since_us: int, threshold_s: float, kept: bool) -> p.Executions:
            asked.append(kept)
            return p.Executions(until_us=NOW, executions=[row])

        probe.executions = executions  # type: ignore[attr-defined]
        recorder.abilities.add("executions")
        recorder._finished(NOW, 0.1)
        frame = frames(recorder)["execution"]
        assert ("4711" in str(frame.to_dicts())) == (literals == "kept")
    assert asked == [False, True], "a server is not even asked for them"


def test_reading_records_nothing_and_says_so() -> None:
    recorder, probe = recorded(CaptureRule(name="hush", mode="reading"))
    assert probe.asked == 0 and frames(recorder) == {} and kinds(recorder) == {"paused"}
    recorder.rule = CaptureRule()
    recorder.tick(NOW + 300 * SECOND)
    assert kinds(recorder) - {"clock"} == set() and recorder.batch.troubles[0].to_us == NOW + 300 * SECOND


def test_only_some_are_recorded() -> None:
    by_user, _ = recorded(CaptureRule(only=Only(users=["u1"])))
    by_text, _ = recorded(CaptureRule(only=Only(text="WEIGHTY")))
    by_session, _ = recorded(CaptureRule(only=Only(sessions=[2, 3])))
    assert (
        len(by_user.batch.samples) == 3 * 240 and len(by_text.batch.samples) == len(by_session.batch.samples) == 2 * 240
    )
    assert "partial" in kinds(by_user) and "users" in by_user.batch.troubles[0].reason


def test_weighty_leaves_out_light_statements_but_not_their_sums() -> None:
    recorder, _ = recorded(CaptureRule(mode="weighty", weighty_from=0.01))
    assert {row[2].key for row in recorder.work.statements} == {"k1", "k2"}
    assert recorder.work.metrics[-1][2]["calls"] == 60
    assert "10 ms a call" in next(t.reason for t in recorder.batch.troubles if t.kind == "partial")


def test_waits_and_sessions_can_be_left_out() -> None:
    recorder, _ = recorded(CaptureRule(waits=False))
    frame = frames(recorder)["sample"]
    assert set(frame["wait_event"]) == {"not recorded"} and set(frame["wait_family"]) == {"other"}
    silent, probe = recorded(CaptureRule(sample=None))
    assert probe.asked == 0 and "not sampled" in kinds(silent) and silent.work.metrics


def test_the_first_rule_that_fits_is_followed_until_it_ends() -> None:
    soon = datetime.fromtimestamp(NOW / 1e6, UTC) + timedelta(seconds=30)
    rules = [
        CaptureRule(name="for a while", applies_to=["desk-a"], threshold=2, until=soon),
        CaptureRule(name="east", applies_to=["east"]), CaptureRule(name="desks", applies_to=["desk"]),
    ]  # fmt: skip

    def name(server: str, labels: list[str], now: int) -> str:
        return rule_for(rules, server, "desk", labels, now).name

    assert name("desk-a", [], NOW) == "for a while" and name("desk-a", [], NOW + 31 * SECOND) == "desks"
    assert name("desk-b", ["east"], NOW) == "east" and name("desk-b", [], NOW) == "desks"
    assert rule_for(rules, "lab-a", "lab", [], NOW) == CaptureRule()


def test_a_slow_server_is_looked_at_less_often_and_again_as_before() -> None:
    backoff = Backoff()
    for _ in range(40):
        backoff.look(0.6, 1.0)
    assert backoff.factor == 4, "0.6 s of each 4 s is not too much"
    backoff.look(5.0, 1.0)
    assert backoff.factor == 4, "one slow answer does nothing"
    for _ in range(60):
        backoff.look(0.01, 1.0)
    assert backoff.factor == 1


def test_slowing_down_is_said_and_weighs_more() -> None:
    clock = iter(x * 0.35 for x in range(100_000))
    probe = OneServer()
    recorder = Recorder(1, probe, StatementRegistry("practice"), {"sessions"}, CaptureRule(), NOW, NOW)  # type: ignore[arg-type]
    recorder.backoff = Backoff(lambda: next(clock))
    for second in range(60):
        recorder.tick(NOW + second * SECOND)
    said = [t for t in recorder.batch.troubles if t.kind == "slowed"]
    assert recorder.backoff.factor == 2 and said and "every 2 s" in said[0].reason
    assert {every for _, every, _, _ in recorder.batch.samples} == {1.0, 2.0}


@pytest.mark.parametrize(("text", "field", "words"), [
    ("rules: 3", "rules", "list of rules"), ("[1]", "rules", "some of 'rules'"),
    ("limits: {sample_days: 3}", "rules", "nothing else"),
    ("rules: [{name: a, every_nth_session: 0}]", "rules.0.every_nth_session", "greater"),
    ("rules: [{name: a, literals: gone}]", "rules.0.literals", "replaced"),
    ("{", "", "not YAML"),
    ("rules: [{name: a, sample: 90 s}]", "rules.0.sample", "whole seconds"),
    ("rules: [{name: a, sample: 1.5 s}]", "rules.0.sample", "whole seconds"),
    ("rules: [{name: a, threshold: soon}]", "rules.0.threshold", "'50 ms'"),
    ("rules: [{name: a}, {name: a}]", "rules", "two rules"),
    ("rules: [{name: a, mode: most}]", "rules.0.mode", "weighty"),
    ("rules: [{name: a, until: 2026-03-02T09:00:00}]", "rules.0.until", "zone"),
    ("rules: [{name: a, samples: 1 s}]", "rules.0.samples", "Extra"),
    ("rules: [{name: a, applies_to: []}]", "rules.0.applies_to", "at least 1"),
])  # fmt: skip
def test_a_wrong_rule_names_its_field(text: str, field: str, words: str) -> None:
    with pytest.raises(BadSettings, match=words) as caught:
        read_rules(text)
    assert caught.value.field == field


def test_a_rule_of_the_field_s_habits_is_read() -> None:
    (rule,) = read_rules(
        "rules:\n- {name: now, applies_to: [desk-a], threshold: 2 s, only: {sessions: [17]}, until: 2026-03-02T09:00:30Z}"
    )
    assert rule.threshold == 2 and rule.only.sessions == [17] and rule.until is not None


RULES: Any = st.builds(
    CaptureRule, name=st.sampled_from(list(STARTING_SETS)), applies_to=st.lists(st.sampled_from(["fleet", "desk", "a b"]), min_size=1, max_size=2),
    mode=st.sampled_from(["everything", "weighty", "reading"]), sample=st.none() | st.integers(1, 60).map(float),
    counters=st.integers(10, 3600).map(float), threshold=st.none() | st.sampled_from([0.0, 0.001, 0.1, 2.5, 60.0]),
    weighty_from=st.sampled_from([0.0, 0.01, 1.0]), waits=st.booleans(), plans=st.integers(0, 200),
    only=st.builds(Only, users=st.lists(st.text(max_size=5), max_size=2), text=st.text(max_size=5)),
    every_nth_session=st.integers(1, 1000), literals=st.sampled_from(["replaced", "kept"]),
    until=st.none() | st.datetimes(min_value=datetime(2020, 1, 1), max_value=datetime(2100, 1, 1), timezones=st.just(UTC)),
)  # fmt: skip


@given(RULES)
def test_the_yaml_makes_the_same_rule(rule: CaptureRule) -> None:
    assert read_rules(as_yaml([rule])) == [rule]


@given(st.text(max_size=200))
def test_no_text_crashes_the_reader(text: str) -> None:
    try:
        read_rules(text)
    except BadSettings as error:
        assert str(error)
