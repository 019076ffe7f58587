"""Imports over the API: handed in, looked at, corrected, taken, undone; OTLP from a sender; workloads for trials."""

from __future__ import annotations

import io
import time
import zipfile
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import pytest
from fastapi.testclient import TestClient

from hardy_gauge.api.app import create_app
from hardy_gauge.capture.registration import discover, register
from hardy_gauge.settings import AppSettings
from hardy_gauge.store.database import Store
from tests.capture.imports.test_otlp import ROWS, metrics, spans
from tests.capture.imports.test_tables import EXECUTIONS
from tests.conftest import signed_in

FOCUS = "2026-03-02T06:00:00Z/2026-03-02T11:00:00Z"


@pytest.fixture
def client(tmp_path: Path) -> Iterator[TestClient]:
    settings = AppSettings(data=tmp_path, demo=True, web=Path("/nowhere"))
    store = Store(settings.store_path)
    with TestClient(create_app(settings, store)) as made:
        signed_in(made)
        yield made
    store.close()


def hand_in(client: TestClient, content: str | bytes, name: str) -> dict[str, Any]:
    answer = client.post("/api/imports", params={"name": name}, content=content)
    assert answer.status_code == 201, answer.text
    found: dict[str, Any] = answer.json()
    return found


def take(client: TestClient, looked: dict[str, Any], **more: Any) -> dict[str, Any]:
    wanted = {"format": looked["format"], "layout": looked["layout"], "server": "east"} | more
    answer = client.post(f"/api/imports/{looked['id']}/start", json=wanted)
    assert answer.status_code == 202, answer.text
    return wait(client, looked["id"])


def wait(client: TestClient, number: int) -> dict[str, Any]:
    for _ in range(200):
        found: dict[str, Any] = client.get(f"/api/imports/{number}").json()
        if found["state"] != "running":
            return found
        time.sleep(0.05)
    raise AssertionError(found)


def test_a_file_is_looked_at_corrected_taken_and_undone(client: TestClient, tmp_path: Path) -> None:
    looked = hand_in(client, EXECUTIONS, "slow.csv")
    assert looked["layout"]["columns"]["duration"] == {"column": "duration_ms", "unit": "ms"}
    assert (looked["rows_looked_at"], looked["rows_accepted"], looked["remembered"]) == (6, 3, False)
    assert looked["rejected"][0] == {"line": 4, "why": "duration_ms is not a duration: soon"}
    assert client.get("/api/imports").json()["imports"] == [], "nothing is taken before it is agreed"
    layout = looked["layout"] | {
        "columns": looked["layout"]["columns"] | {"duration": {"column": "duration_ms", "unit": "us"}}
    }
    again = client.post(f"/api/imports/{looked['id']}/look", json={"layout": layout}).json()
    assert again["layout"]["columns"]["duration"]["unit"] == "us"
    done = take(client, again)
    assert (done["state"], done["accepted"], done["rejected_count"]) == ("done", 3, 3)
    server = client.get("/api/connections").json()["connections"][0]
    assert (server["server"], server["capture"]) == ("east", "opened") and "files" in server["capture_words"]
    lines = client.get(f"/api/imports/{looked['id']}/rejected").text.splitlines()
    assert lines[:2] == ["line,why", "4,duration_ms is not a duration: soon"]
    assert hand_in(client, EXECUTIONS + "\n", "slow.csv")["remembered"], "the correction is remembered"
    assert client.delete(f"/api/imports/{looked['id']}").status_code == 204
    assert client.get("/api/connections").json()["connections"] == []
    assert [row["state"] for row in client.get("/api/imports").json()["imports"]] == ["undone"]
    assert not list((tmp_path / "incoming").glob(str(looked["id"]))), "the file itself is not kept"


def test_what_was_taken_is_seen_on_the_screens(client: TestClient) -> None:
    looked = hand_in(client, EXECUTIONS, "slow.csv")
    take(client, looked, layout=looked["layout"] | {"whole": True})
    rows = client.get("/api/statements", params={"scope": "east", "focus": FOCUS}).json()["rows"]
    assert sorted(row["calls"] for row in rows) == [1, 2]
    tape = client.get("/api/tape", params={"scope": "east", "span": FOCUS}).json()
    assert any(tape["active_sessions"])


@pytest.mark.parametrize(
    ("wanted", "field"),
    [
        ({"server": ""}, "server"),
        ({"server": "a/b"}, "server"),
        ({"layout": {"kind": "executions", "columns": {}}}, "layout.columns.ended_at"),
        ({"layout": {"kind": "executions", "columns": {"text": {"column": "no"}}}}, "layout.columns.text.column"),
        ({"format": "stone"}, "format"),
    ],
)
def test_what_is_wrong_is_named_and_nothing_is_stored(client: TestClient, wanted: dict[str, Any], field: str) -> None:
    looked = hand_in(client, EXECUTIONS, "slow.csv")
    body = {"format": "table", "layout": looked["layout"], "server": "east"} | wanted
    answer = client.post(f"/api/imports/{looked['id']}/start", json=body)
    assert answer.status_code == 422 and answer.json()["field"] == field, answer.json()
    assert client.get("/api/imports").json()["imports"] == []


def test_a_file_of_nothing_is_refused(client: TestClient, tmp_path: Path) -> None:
    answer = client.post("/api/imports", params={"name": "empty.csv"}, content=b"")
    assert answer.status_code == 422 and answer.json()["field"] == "file"
    assert not list((tmp_path / "incoming").iterdir())


def test_a_sender_of_otlp_is_told_what_was_not_taken(client: TestClient) -> None:
    assert client.post("/api/otlp/v1/traces", json=spans(ROWS)).json() == {}
    again = client.post("/api/otlp/v1/traces", json=spans(ROWS[:5])).json()["partialSuccess"]
    assert again == {"rejectedSpans": "5", "errorMessage": "5 × it is there already"}
    content = client.post("/api/otlp/v1/metrics", json=metrics()).json()["partialSuccess"]
    assert content["rejectedDataPoints"] == "2"
    (row,) = client.get("/api/imports").json()["imports"]
    assert (row["name"], row["servers"], row["accepted"]) == ("received", ["db-7"], 95)
    assert client.post("/api/otlp/v1/profiles", json={}).status_code == 404
    assert client.post("/api/otlp/v1/logs", json={}).json() == {}
    assert (
        client.post("/api/otlp/v1/traces", content=b"{", headers={"content-type": "application/json"}).status_code
        == 400
    )
    assert client.post("/api/otlp/v1/traces", content=b"x", headers={"content-type": "text/plain"}).status_code == 415


def test_sql_files_are_a_workload_and_a_trials_design(client: TestClient, practice: str, tmp_path: Path) -> None:
    buffer = io.BytesIO()
    with zipfile.ZipFile(buffer, "w") as archive:
        archive.writestr(
            "b/loans.sql", "-- weight: 3\nSELECT 'a;b' FROM loan; /* only a note */\n;CREATE TABLE x (a int);"
        )
        archive.writestr("a.sql", "SELECT 1;\nSELECT 1")
        archive.writestr("notes.txt", "SELECT 2;")
    done = take(client, hand_in(client, buffer.getvalue(), "work.zip"))
    assert (done["format"], done["accepted"]) == ("workload", 2)
    assert done["rejected"] == [
        {"line": 3, "why": "b/loans.sql: not a statement to play, but create: CREATE TABLE x (a int)"}
    ]
    (workload,) = client.get("/api/workloads").json()
    assert workload["statements"] == [
        {"sql": "SELECT 1", "weight": 2.0},
        {"sql": "SELECT 'a;b' FROM loan", "weight": 3.0},
    ]
    assert client.get(f"/api/workloads/{workload['id']}/design").status_code == 404, "there is no lab server yet"
    store = Store(tmp_path / "hardy-gauge.db")
    register(store, discover(practice))
    store.close()
    design = client.get(f"/api/workloads/{workload['id']}/design").json()
    assert design["workload"]["statements"] == workload["statements"] and design["target"]["server"] == "lab-a"
    client.delete(f"/api/imports/{done['id']}")
    assert client.get("/api/workloads").json() == []


PLAN = """[{"Plan": {"Node Type": "Seq Scan", "Relation Name": "title", "Total Cost": 445.0, "Plan Rows": 10000,
"Actual Total Time": 12.5, "Actual Rows": 9000, "Actual Loops": 1}, "Query Text": "SELECT * FROM title WHERE id > 7"}]"""


def test_plans_come_in_with_their_statement(client: TestClient) -> None:
    looked = hand_in(client, PLAN, "plan.json")
    done = take(client, looked)
    assert (done["format"], done["accepted"], done["rejected"]) == ("plans", 1, [])
    again = take(client, hand_in(client, PLAN + " ", "plan.json"))
    assert again["rejected"] == [{"line": 1, "why": "the plan is there already"}]
    silent = take(client, hand_in(client, PLAN.replace("Query Text", "Else"), "plan.json"))
    assert silent["rejected"][0]["why"].startswith("the plan does not say its statement")
    client.delete(f"/api/imports/{done['id']}")
    assert client.get("/api/connections").json()["connections"] == []
