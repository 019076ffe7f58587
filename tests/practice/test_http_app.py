"""The practice fleet over HTTP: the protocol's answers, refusals, and plays from start to stop."""

from __future__ import annotations

import time

import httpx
import pytest

from hardy_gauge.probes.http import HttpProbe
from hardy_gauge.probes.protocol import Arrival, ExplainRequest, IndexSpec, PlayRequest, PlayStatement, Refused

BARCODE = "SELECT id, title_id, branch_id, shelf, state FROM item WHERE barcode = $1"
CLOSED = Arrival(kind="closed", workers=3, think_s=0.01)


@pytest.fixture
def lab(practice: str) -> HttpProbe:
    return HttpProbe(f"{practice}/servers/lab-a")


def finished(probe: HttpProbe, request: PlayRequest) -> str:
    state = probe.play(request)
    while state.state == "running":
        time.sleep(0.05)
        state = probe.play_state(state.play)
    assert state.state == "finished", state.detail
    return state.play


def test_every_declared_ability_answers(practice: str) -> None:
    with httpx.Client(base_url=practice, trust_env=False) as client:
        servers = client.get("/servers").json()
        assert [s["server"] for s in servers] == ["desk-a", "desk-b", "desk-c", "lab-a"]
        assert [s["role"] for s in servers] == ["primary", "replica", "replica", "single"]
        for name in ("host", "counters", "statements", "sessions", "settings", "schema", "messages?since_us=0"):
            assert client.get(f"/servers/desk-b/{name}").status_code == 200, name
        assert client.get("/servers/desk-z/host").status_code == 404
        assert client.get("/servers/desk-a/executions?since_us=0&threshold_s=0").status_code == 422
        assert client.get("/servers/desk-a/history/colour?since_us=0&until_us=1").status_code == 422


def test_replicas_share_the_readers_and_the_lab_is_idle(practice: str) -> None:
    keys = {
        name: {row.key for row in HttpProbe(f"{practice}/servers/{name}").statements().statements}
        for name in ("desk-a", "desk-b", "desk-c")
    }
    assert keys["desk-b"] == keys["desk-c"] and not keys["desk-a"] & keys["desk-b"]
    assert HttpProbe(f"{practice}/servers/lab-a").sessions().sessions == []


def test_objects_count_the_rows_that_statements_wrote(practice: str) -> None:
    probe = HttpProbe(f"{practice}/servers/desk-a")
    first = {t.name: t for t in probe.objects().tables}
    calls = {row.key: row for row in probe.statements().statements}
    time.sleep(1.2)
    counted = probe.objects()
    tables = {t.name: t for t in counted.tables}
    done = {row.key: row.calls - calls[row.key].calls for row in probe.statements().statements}
    inserts = [row.key for row in calls.values() if row.text.lower().startswith("insert into loan")]
    grown = (tables["loan"].inserts or 0) - (first["loan"].inserts or 0)
    assert grown > 2 and grown == pytest.approx(sum(done[key] for key in inserts), rel=0.3)
    assert set(tables["loan"].column_updates) == {"returned_at"}
    assert tables["loan"].updates == pytest.approx(tables["loan"].column_updates["returned_at"])
    assert tables["item"].inserts == 0
    assert "hold_request_title" not in {i.name for i in counted.indexes}, "the trouble took it away"


def test_explain_of_a_what_if_builds_nothing(lab: HttpProbe) -> None:
    text = "SELECT id FROM loan WHERE renewals = 2 AND branch_id = 7"
    before = lab.explain(ExplainRequest(text=text))
    index = IndexSpec(table="loan", columns=["branch_id", "renewals"])
    imagined = lab.explain(ExplainRequest(text=text, add_indexes=[index]))
    assert before.root.operation == "scan" and imagined.cost <= before.cost
    assert lab.explain(ExplainRequest(text=text)).plan_key == before.plan_key
    with pytest.raises(Refused, match="no index 'nothing'"):
        lab.explain(ExplainRequest(text=text, drop_indexes=["nothing"]))


def test_remembered_plans_by_key(practice: str) -> None:
    probe = HttpProbe(f"{practice}/servers/desk-a")
    row = next(r for r in probe.statements().statements if r.key == "waiting_holds")
    assert row.plan_key is not None
    plan = probe.plan(row.plan_key)
    assert plan.root.operation == "limit" and (plan.time_s or 0) > 0.5
    with pytest.raises(Refused, match="no plan 'feed'"):
        probe.plan("feed")


def test_play_gives_executions_and_samples(lab: HttpProbe) -> None:
    request = PlayRequest(statements=[PlayStatement(text=BARCODE, weight=1)], arrival=CLOSED, seconds=5, seed=3)
    play = finished(lab, request)
    executions, samples = lab.play_rows(play, "executions"), lab.play_rows(play, "samples")
    waits = [c for c in executions.columns if c.startswith("wait.")]
    assert len(executions) > 500 and executions["start_s"].max() <= 5
    spent = executions.select(waits).sum_horizontal()
    assert (spent - executions["duration_s"]).abs().max() < 1e-9, "every part of an execution is accounted for"
    assert set(samples.columns) == {"tick_s", "session", "statement", "wait_event", "blocked_by"}
    again = lab.play_rows(finished(lab, request), "executions")
    assert again.equals(executions), "one seed, one result"


def test_changes_of_a_play_hold_for_that_play_only(lab: HttpProbe) -> None:
    statement = PlayStatement(
        text="INSERT INTO fine (patron_id, loan_id, amount, settled) VALUES ($1, $2, $3, FALSE)", weight=1
    )

    def mean(**settings: str) -> float:
        request = PlayRequest(statements=[statement], arrival=CLOSED, seconds=4, seed=1, settings=settings)
        value = lab.play_rows(finished(lab, request), "executions")["duration_s"].mean()
        assert isinstance(value, float)
        return value

    waiting, behind = mean(commit_mode="wait"), mean(commit_mode="background")
    assert behind < 0.7 * waiting
    assert {s.name: s.value for s in lab.settings().settings}["commit_mode"] == "wait"


def test_a_play_can_be_stopped(lab: HttpProbe) -> None:
    request = PlayRequest(statements=[PlayStatement(text=BARCODE, weight=1)], arrival=CLOSED, seconds=3000)
    state = lab.play(request)
    lab.stop_play(state.play)
    while state.state == "running":
        time.sleep(0.05)
        state = lab.play_state(state.play)
    assert state.state == "stopped" and 0 < state.done_s < 3000


REFUSED = [
    ({"arrival": Arrival(kind="open")}, "rate_per_s", "arrival.rate_per_s"),
    ({"arrival": Arrival(kind="closed")}, "workers", "arrival.workers"),
    ({"settings": {"commit_mode": "never"}}, "one of wait, background", "settings.commit_mode"),
    ({"settings": {"read_ahead_pages": True}}, "is a number", "settings.read_ahead_pages"),
    ({"settings": {"colour": 1}}, "no setting 'colour'", "settings.colour"),
    ({"statements": [PlayStatement(text="SELECT 1 FROM nowhere", weight=1)]}, "no table", "text"),
]


@pytest.mark.parametrize(("changed", "words", "field"), REFUSED)
def test_plays_that_cannot_be_are_refused_before_they_begin(
    lab: HttpProbe, changed: dict[str, object], words: str, field: str
) -> None:
    request = PlayRequest(statements=[PlayStatement(text=BARCODE, weight=1)], arrival=CLOSED, seconds=1)
    with pytest.raises(Refused, match=words) as refused:
        lab.play(request.model_copy(update=changed))
    assert refused.value.field == field


def test_unknown_play(lab: HttpProbe) -> None:
    with pytest.raises(Refused, match="no play"):
        lab.play_state("nothing")
