"""A trial over the API from its start to its verdict: live events, order, stopping."""

from __future__ import annotations

import json
import time
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import pytest
from fastapi.testclient import TestClient

from hardy_gauge.api.app import create_app
from hardy_gauge.settings import AppSettings
from hardy_gauge.store.database import Store
from tests.conftest import signed_in


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


def wait(client: TestClient, trial_id: int, states: set[str], seconds: float = 150) -> dict[str, Any]:
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
