"""A trial over the API from its start to its verdict: live events, order, stopping."""

from __future__ import annotations

import io
import json
import time
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import polars as pl
import pytest
from fastapi.testclient import TestClient

from hardy_gauge.api.app import create_app
from hardy_gauge.settings import AppSettings
from hardy_gauge.store.database import Store
from hardy_gauge.store.run_executions import executions_of_runs, keep, kept_runs
from hardy_gauge.store.trial_models import Run, Trial
from tests.conftest import signed_in
from tests.patience import PATIENT_S


@pytest.fixture
def client(tmp_path: Path) -> Iterator[TestClient]:
    settings = AppSettings(data=tmp_path, demo=True, web=Path("/nowhere"))
    store = Store(settings.store_path)
    with TestClient(create_app(settings, store)) as made:
        signed_in(made)
        yield made
    store.close()


def design(client: TestClient, seconds: str = "1 s", blocks: int = 2) -> dict[str, Any]:
    found: dict[str, Any] = client.get("/api/trials/samples/library").json()
    found["workload"]["arrival"]["workers"] = 1
    return found | {"run": {"seconds": seconds, "blocks": blocks, "seed": 1}}


def wait(client: TestClient, trial_id: int, states: set[str], seconds: float = PATIENT_S) -> dict[str, Any]:
    began = time.monotonic()
    while time.monotonic() - began < seconds:
        trial: dict[str, Any] = client.get(f"/api/trials/{trial_id}").json()
        if trial["state"] in states:
            return trial
        time.sleep(0.2)
    raise AssertionError(f"still {trial['state']} after {seconds} s")


def test_events_follow_a_trial_to_its_verdict(client: TestClient) -> None:
    made = client.post("/api/trials", json=design(client))
    assert made.status_code == 201 and made.json()["state"] == "waiting"
    seen: list[dict[str, Any]] = []
    with client.stream("GET", f"/api/trials/{made.json()['id']}/events") as stream:
        assert stream.headers["content-type"].startswith("text/event-stream")
        for line in stream.iter_lines():
            if line.startswith("data: "):
                seen.append(json.loads(line.removeprefix("data: ")))
    assert seen[-1]["state"] == "finished" and seen[-1]["done_share"] == 1.0
    shares = [s["done_share"] for s in seen]
    assert shares == sorted(shares), "progress only goes forward"
    final = seen[-1]
    assert len(final["runs"]) == 4 and final["result"]["blocks"] == 2
    assert {r["arm"] for r in final["runs"]} == {"control", "write-ahead"}
    listed = client.get("/api/trials").json()
    assert listed["trials"][0]["sentence"] == final["result"]["candidates"][0]["sentence"]


def test_every_execution_and_what_stands_behind_the_verdict(client: TestClient) -> None:
    """The file has every execution, from which the figures of the sheet come out again."""
    trial = client.post("/api/trials", json=design(client)).json()["id"]
    told = wait(client, trial, {"finished"})
    assert told["executions_kept"]
    detail = {arm["arm"]: arm for arm in told["in_detail"]["arms"]}
    assert set(detail) == {"control", "write-ahead"} and all(len(arm["ended"]) == 1 for arm in detail.values())
    parquet = client.get(f"/api/trials/{trial}/executions")
    frame = pl.read_parquet(io.BytesIO(parquet.content))
    assert f"trial-{trial}.parquet" in parquet.headers["content-disposition"]
    csv = pl.read_csv(io.BytesIO(client.get(f"/api/trials/{trial}/executions?form=csv").content))
    assert csv.columns == frame.columns and len(csv) == len(frame) and frame["run"].n_unique() == 4
    assert frame.columns[:3] == ["run", "block", "arm"] and {"statement", "start_s", "duration_s"} <= {*frame.columns}
    for run in told["runs"]:
        end = pl.col("start_s") + pl.col("duration_s")
        mine = frame.filter(pl.col("run") == run["number"], end > run["warm_s"], end <= 1.0)
        assert len(mine) == run["all"]["executions"]
    rows = told["in_detail"]["statements"]
    assert sum(row["ended"] for row in rows) == sum(run["all"]["executions"] for run in told["runs"])
    assert all(row["least"] <= row["p50"] <= row["greatest"] for row in rows if row["ended"])
    assert client.get("/api/trials/99/executions").status_code == 404
    assert client.get(f"/api/trials/{trial}/executions?form=xlsx").status_code == 422


def test_executions_of_older_trials_are_given_up(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr("hardy_gauge.store.run_executions.TRIALS", 2)
    store = Store(tmp_path / "hardy-gauge.db")
    frame = pl.DataFrame({"start_s": [0.5], "duration_s": [0.1], "statement": [0]})
    for number in range(4):
        with store.write() as session:
            trial = Trial(title=f"trial {number}", created_us=number, design={})
            session.add(trial)
            session.flush()
            run = Run(trial_id=trial.id, number=0, block=0, arm="control", figures={})
            session.add(run)
            keep(session, run, frame)
    assert [len(kept_runs(store, trial)) for trial in (1, 2, 3, 4)] == [0, 0, 1, 1]
    assert [one.to_dicts() for one in executions_of_runs(store, 4)] == [
        [{"run": 0, "block": 0, "arm": "control", "start_s": 0.5, "duration_s": 0.1, "statement": 0}]
    ]
    store.close()


def test_the_plans_of_two_arms_beside_each_other(client: TestClient) -> None:
    document = design(client) | {
        "workload": {"arrival": {"workers": 1}, "statements": [{"sql": "SELECT id FROM loan WHERE due_day = 7"}]},
        "arms": [{"name": "control"}, {"name": "index", "add_indexes": [{"table": "loan", "columns": ["due_day"]}]}],
    }
    trial = client.post("/api/trials", json=document).json()["id"]
    plans = wait(client, trial, {"finished"})["result"]["plans"]
    assert [(one["statement"], one["arm"]) for one in plans["other"]] == [(0, "index")]
    asked = {"first": "control", "second": "index"}
    beside = client.get(f"/api/trials/{trial}/plans/0", params=asked).json()
    assert (
        beside["sql"] == "SELECT id FROM loan WHERE due_day = 7"
        and beside["comparison"]["sentence"] == plans["other"][0]["sentence"]
    )
    for path, params, field in (("1", asked, "statement"), ("0", asked | {"second": "x"}, "second")):
        refused = client.get(f"/api/trials/{trial}/plans/{path}", params=params)
        assert refused.status_code == 404 and refused.json()["field"] == field


def test_a_line_of_trials(client: TestClient) -> None:
    first = client.post("/api/trials", json=design(client)).json()["id"]
    alone = wait(client, first, {"finished"})
    assert alone["line"] == []
    next_ = client.get(f"/api/trials/{first}/again").json()
    assert next_["follows"] == first and next_["workload"] == alone["design"]["workload"]
    next_["run"]["blocks"] = 3
    second = client.post("/api/trials", json=next_).json()["id"]
    wait(client, second, {"finished"})
    for trial in (first, second):
        line = client.get(f"/api/trials/{trial}").json()["line"]
        assert [(one["id"], one["follows"], one["changed"]) for one in line] == [
            (first, None, []),
            (second, first, ["run.blocks: 2 → 3"]),
        ]
        assert all(one["sentence"] for one in line)
    listed = client.get("/api/trials").json()["trials"]
    assert [(one["id"], one["follows"]) for one in listed] == [(second, first), (first, None)]
    refused = client.post("/api/trials", json=next_ | {"follows": 99})
    assert refused.status_code == 422 and refused.json()["field"] == "follows"


def test_what_is_not_written_has_words_too(client: TestClient) -> None:
    """No arrival: one worker, statements in their order; the sheet of such a trial opens."""
    document = design(client)
    del document["workload"]["arrival"], document["run"]
    words = client.post("/api/trials/words", json=document)
    assert words.status_code == 200 and "1 worker, each in the order of the file" in words.json()["arrival"]
    trial = client.post("/api/trials", json=document | {"run": {"seconds": "1 s", "blocks": 2}})
    assert trial.status_code == 201
    assert wait(client, trial.json()["id"], {"finished"})["words"]["arrival"] == words.json()["arrival"]


def test_stopping_keeps_the_runs_and_a_second_stop_is_refused(client: TestClient) -> None:
    trial = client.post("/api/trials", json=design(client, "20 s", 5)).json()["id"]
    wait(client, trial, {"running"})
    assert client.post(f"/api/trials/{trial}/stop").status_code == 200
    stopped = wait(client, trial, {"stopped"})
    assert "stopped after" in stopped["detail"]
    again = client.post(f"/api/trials/{trial}/stop")
    assert again.status_code == 409 and "nothing to stop" in again.json()["detail"]


def test_a_second_trial_waits_for_the_first(client: TestClient) -> None:
    first = client.post("/api/trials", json=design(client, "2 s", 2)).json()["id"]
    wait(client, first, {"running"})
    second = client.post("/api/trials", json=design(client)).json()["id"]
    time.sleep(4)
    if client.get(f"/api/trials/{first}").json()["state"] == "running":
        assert client.get(f"/api/trials/{second}").json()["state"] == "waiting"
    wait(client, second, {"finished"})
    assert client.get(f"/api/trials/{first}").json()["state"] == "finished"


def test_files_are_for_the_command_line(client: TestClient) -> None:
    answer = client.post("/api/trials", json=design(client) | {"target": {"file": "/etc/hostname"}})
    assert answer.status_code == 422 and answer.json()["field"] == "target.file"
    assert client.get("/api/trials/samples/other").json()["field"] == "sample"


def test_an_empty_fleet_has_words_for_it(client: TestClient) -> None:
    assert "No server is recorded yet" in client.get("/api/fleet").json()["sentence"]
    assert client.get("/api/ledger").json()["entries"] == []
    assert client.get("/api/statements").json()["rows"] == []
    assert client.get("/api/tape").json()["active_sessions"].count(None) > 300
    assert "No trial yet" in client.get("/api/trials").json()["sentence"]
