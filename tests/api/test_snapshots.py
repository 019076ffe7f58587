"""Snapshots over the API: taken of several at once, compared, scheduled, taken out."""

from __future__ import annotations

import time
from collections.abc import Iterator
from pathlib import Path

import pytest
from fastapi.testclient import TestClient

from hardy_gauge.api.app import create_app
from hardy_gauge.capture.registration import discover, register
from hardy_gauge.settings import AppSettings
from hardy_gauge.store.database import Store
from hardy_gauge.store.models import Server
from tests.conftest import signed_in


@pytest.fixture
def client(practice: str, tmp_path: Path) -> Iterator[TestClient]:
    settings = AppSettings(data=tmp_path, demo=True, web=Path("/nowhere"))
    store = Store(settings.store_path)
    register(store, discover(practice))
    with store.write() as session:
        session.query(Server).filter_by(name="desk-b").one().address = "http://127.0.0.1:9/servers/desk-b"
    with TestClient(create_app(settings, store)) as made:
        yield signed_in(made)  # type: ignore[misc]
    store.close()


def test_two_snapshots_tell_what_was_done_between(client: TestClient) -> None:
    first = client.post("/api/snapshots", json={"servers": ["desk-a", "desk-b"], "note": "before"}).json()
    assert [row["server"] for row in first["taken"]] == ["desk-a"]
    assert first["not_taken"][0]["server"] == "desk-b" and first["not_taken"][0]["why"]
    time.sleep(2)
    second = client.post("/api/snapshots", json={"servers": ["desk-a"]}).json()["taken"][0]["id"]
    ids = {"first": first["taken"][0]["id"], "second": second}
    done = client.get("/api/snapshots/difference", params=ids).json()
    by_name = {row["name"]: row for row in done["figures"]}
    assert done["span_s"] >= 2 and done["notes"] == []
    assert by_name["calls"]["done"] > 0 and by_name["calls"]["per_s"] == pytest.approx(
        by_name["calls"]["done"] / done["span_s"]
    )
    # the two are read one after the other, on a busy machine some tenths of the span apart
    assert sum(row["calls"] for row in done["statements"]) == pytest.approx(by_name["calls"]["done"], rel=0.3)
    assert done["statements"] == sorted(done["statements"], key=lambda row: -row["time_s"])
    turned = client.get("/api/snapshots/difference", params={"first": ids["second"], "second": ids["first"]}).json()
    assert turned["figures"] == done["figures"], "the earlier one is the first whichever way they are asked for"
    lines = client.get("/api/snapshots/difference/csv", params=ids).text.splitlines()
    assert lines[0].startswith("fingerprint,text,user") and len(lines) == len(done["statements"]) + 1


def test_what_cannot_be_compared_is_said(client: TestClient) -> None:
    rows = client.post("/api/snapshots", json={"servers": ["desk-a", "desk-c"]}).json()["taken"]
    answer = client.get("/api/snapshots/difference", params={"first": rows[0]["id"], "second": rows[1]["id"]})
    assert (answer.status_code, answer.json()["field"]) == (422, "second")
    same = client.get("/api/snapshots/difference", params={"first": rows[0]["id"], "second": rows[0]["id"]})
    assert same.status_code == 422 and "later" in same.json()["detail"]
    assert client.get("/api/snapshots/difference", params={"first": 999, "second": 1}).status_code == 404
    assert client.delete(f"/api/snapshots/{rows[0]['id']}").status_code == 204
    assert [row["id"] for row in client.get("/api/snapshots").json()["snapshots"]] == [rows[1]["id"]]


def test_the_schedule_is_kept(client: TestClient) -> None:
    wanted = {"applies_to": ["desk"], "every": "15 min", "keep_days": 3}
    assert client.put("/api/snapshots/schedule", json=wanted).status_code == 200
    kept = client.get("/api/snapshots/schedule").json()
    assert (kept["applies_to"], kept["every"], kept["keep_days"]) == (["desk"], 900.0, 3)
    assert client.put("/api/snapshots/schedule", json=wanted | {"every": "1 s"}).json()["field"] == "every"
