"""Connections, keyring, rules and storage over the API: what a new user does, and what is refused."""

from __future__ import annotations

import threading
import time
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import pytest
from cryptography.fernet import Fernet
from fastapi.testclient import TestClient

from hardy_gauge.api.app import create_app
from hardy_gauge.capture import settings_file
from hardy_gauge.capture.collector import Collector
from hardy_gauge.core.time.clock import clock_us
from hardy_gauge.settings import AppSettings
from hardy_gauge.store.database import Store
from hardy_gauge.store.models import CaptureState
from tests.conftest import signed_in

SECRET = "planted-Secret-4c1e"


@pytest.fixture
def client(tmp_path: Path) -> Iterator[TestClient]:
    settings = AppSettings(data=tmp_path, demo=True, web=Path("/nowhere"))
    store = Store(settings.store_path)
    collector = Collector(store)
    with TestClient(create_app(settings, store, poke=collector.refresh)) as made:
        made.collector = collector  # type: ignore[attr-defined]
        signed_in(made)
        yield made
    collector.stop()
    store.close()


def call(client: TestClient, method: str, path: str, status: int = 200, **more: Any) -> Any:
    answer = client.request(method, f"/api/{path}", **more)
    assert answer.status_code == status, answer.text
    return answer.json() if answer.content else None


def connect(client: TestClient, practice: str, *names: str, **more: Any) -> Any:
    servers = [{"address": f"{practice}/servers/{name}", **more} for name in names]
    return call(client, "POST", "connections", 201, json={"servers": servers})


def test_an_empty_fleet_says_where_to_begin(client: TestClient) -> None:
    assert "address" in call(client, "GET", "connections")["sentence"]
    assert call(client, "GET", "storage")["use"]["prices"] == [] and call(client, "GET", "capture-rules")["rules"] == []


def test_one_address_finds_the_rest_of_its_cluster(client: TestClient, practice: str) -> None:
    tested = call(client, "POST", "connections/test", json={"address": f"{practice}/servers/desk-a"})
    assert tested["answers"] and tested["cluster"] == "desk" and "practice" in tested["words"]
    assert {m["name"] for m in tested["members"]} == {"desk-b", "desk-c"}
    assert {r["ability"] for r in tested["reports"] if r["reported"]} >= {"sessions", "statements", "explain"}
    addresses = [f"{practice}/servers/desk-a", *(m["address"] for m in tested["members"])]
    taken = call(
        client, "POST", "connections", 201, json={"servers": [{"address": a, "labels": ["east"]} for a in addresses]}
    )
    assert [t["error"] for t in taken] == ["", "", ""]
    rows = call(client, "GET", "connections")["connections"]
    assert [(r["server"], r["cluster"], r["labels"]) for r in rows] == [(f"desk-{c}", "desk", ["east"]) for c in "abc"]
    assert len(client.collector.recorders) == 3  # type: ignore[attr-defined]


def test_one_that_does_not_answer_is_said_and_the_others_are_taken(client: TestClient, practice: str) -> None:
    servers = [{"address": "http://127.0.0.1:9/servers/x"}, {"address": f"{practice}/servers/lab-a"}]
    taken = call(client, "POST", "connections", 201, json={"servers": servers})
    assert taken[0]["error"] and taken[1]["server"] == "lab-a"
    tested = call(client, "POST", "connections/test", json={"address": "nonsense"})
    assert not tested["answers"] and "postgresql://" in tested["words"]
    assert len(call(client, "GET", "connections")["connections"]) == 1


def test_names_accounts_and_addresses_are_checked(client: TestClient, practice: str) -> None:
    connect(client, practice, "desk-a", "lab-a")
    same = {"servers": [{"address": "http://127.0.0.1:9/servers/x", "name": "desk-a"}]}
    assert call(client, "POST", "connections", 409, json=same)["field"] == "name"
    lost = {"servers": [{"address": f"{practice}/servers/desk-b", "account": "lost"}]}
    assert call(client, "POST", "connections", 422, json=lost)["field"] == "account"
    assert (
        call(client, "PATCH", "connections/desk-a", 409, json={"address": f"{practice}/servers/lab-a"})["field"]
        == "address"
    )
    for bad in (
        "nonsense",
        f"postgresql://g:{SECRET}@h/x",
        f"postgresql://h/x?password={SECRET}",
        f"http://g:{SECRET}@h/x",
    ):
        refused = call(client, "PATCH", "connections/desk-a", 422, json={"address": bad})
        assert refused["field"] == "address" and SECRET not in refused["detail"]
        assert SECRET not in call(client, "POST", "connections/test", json={"address": bad})["words"]
    assert SECRET not in client.get("/api/connections").text
    twice = [{"name": "x", "sql": "SELECT 1 AS value"}] * 2
    assert call(client, "PATCH", "connections/desk-a", 422, json={"figures": twice})["field"] == "figures"
    assert call(client, "PATCH", "connections/nobody", 404, json={})["field"] == "server"


def test_retired_is_out_of_the_fleet_and_comes_back(client: TestClient, practice: str) -> None:
    connect(client, practice, "desk-a", "desk-b")
    row = call(client, "PATCH", "connections/desk-b", json={"retired": True, "labels": [" old ", "old", ""]})
    assert row["retired"] and row["labels"] == ["old"] and row["capture"] == "retired"
    assert call(client, "GET", "fleet")["servers"] == 1 and len(client.collector.recorders) == 1  # type: ignore[attr-defined]
    assert call(client, "GET", "servers/desk-b")["server"] == "desk-b", "what was recorded stays readable"
    call(client, "PATCH", "connections/desk-b", json={"retired": False})
    assert len(client.collector.recorders) == 2  # type: ignore[attr-defined]


def test_a_secret_goes_in_and_never_comes_out(client: TestClient, practice: str) -> None:
    made = call(
        client,
        "POST",
        "accounts",
        201,
        json={"name": "watch", "user": "g", "secret": SECRET, "groups": ["desk"], "plain_text": True},
    )
    connect(client, practice, "desk-a", "lab-a", account="")
    assert call(client, "GET", "accounts")["accounts"][0]["servers"] == ["desk-a"], "by its group"
    row = call(client, "GET", "connections")["connections"][0]
    assert (row["account"], row["account_by"]) == ("watch", "its group")
    rotated = call(client, "PATCH", "accounts/watch", json={"secret": SECRET + "2"})
    assert rotated["changed_us"] > made["changed_us"]
    assert call(client, "DELETE", "accounts/watch", 409)["field"] == "account"
    call(client, "POST", "accounts", 409, json={"name": "watch", "user": "", "secret": "x"})
    wrong = call(client, "POST", "accounts", 422, json={"name": "a b", "user": "", "secret": SECRET})
    for path in ("accounts", "connections", "storage", "capture-rules", "openapi.json"):
        assert SECRET not in client.get(f"/api/{path}").text
    assert SECRET not in client.post("/api/connections/desk-a/reports").text
    assert SECRET not in str(wrong)
    call(client, "PATCH", "accounts/watch", json={"groups": []})
    call(client, "DELETE", "accounts/watch", 204)


def test_a_lost_key_costs_its_own_server_and_is_said(client: TestClient, practice: str, tmp_path: Path) -> None:
    call(client, "POST", "accounts", 201, json={"name": "watch", "user": "", "secret": SECRET, "plain_text": True})
    connect(client, practice, "desk-a", account="watch")
    connect(client, practice, "lab-a")
    collector: Collector = client.collector  # type: ignore[attr-defined]
    (tmp_path / "keyring.key").write_bytes(Fernet.generate_key())
    call(client, "PATCH", "accounts/watch", json={"user": "changed"})
    for _ in range(2):
        collector.refresh()
        assert [r.server_id for r in collector.recorders] == [2]
    row = call(client, "GET", "connections")["connections"][0]
    assert row["capture"] == "failing" and "enter it again" in row["capture_words"]
    call(client, "PATCH", "accounts/watch", json={"secret": SECRET})
    assert len(collector.recorders) == 2


def test_what_a_tick_under_way_gathers_is_kept_when_its_server_goes(client: TestClient, practice: str) -> None:
    connect(client, practice, "desk-a")
    collector: Collector = client.collector  # type: ignore[attr-defined]
    go, (recorder,) = threading.Event(), collector.recorders
    ask = recorder.probe.sessions
    recorder.probe.sessions = lambda: (go.wait(10), ask())[1]  # type: ignore[method-assign]
    collector.tick()
    call(client, "PATCH", "connections/desk-a", json={"retired": True})
    assert collector.recorders == []
    go.set()
    for _ in range(100):
        collector.write()
        if not collector._retiring:
            break
        time.sleep(0.1)
    with collector.store.read() as session:
        assert session.get_one(CaptureState, 1).seen_us > 0, "it was written after it had left"


def test_rules_are_stored_followed_and_said_as_yaml(client: TestClient, practice: str) -> None:
    connect(client, practice, "desk-a", "lab-a")
    rules = [{"name": "labs", "applies_to": ["lab"], "mode": "reading"}, {"name": "rest", "threshold": 2.0}]
    made = call(client, "PUT", "capture-rules", json={"rules": rules})
    assert "threshold: 2 s" in made["yaml"] and "settings apply" in made["command"]
    again = client.put("/api/capture-rules/yaml", content=made["yaml"], headers={"content-type": "text/plain"}).json()
    assert again["rules"] == made["rules"]
    rows = {r["server"]: r for r in call(client, "GET", "connections")["connections"]}
    assert (rows["lab-a"]["rule"], rows["lab-a"]["mode"], rows["lab-a"]["capture"]) == ("labs", "reading", "paused")
    assert {r.rule.name for r in client.collector.recorders} == {"labs", "rest"}  # type: ignore[attr-defined]
    bad = client.put(
        "/api/capture-rules/yaml", content="rules: [{name: x, sample: 0 s}]", headers={"content-type": "text/plain"}
    )
    assert bad.status_code == 422 and bad.json()["field"] == "rules.0.sample"
    assert call(client, "GET", "capture-rules")["rules"] == made["rules"], "nothing changed"
    assert call(client, "PUT", "capture-rules", 422, json={"rules": [rules[1]] * 2})["field"] == "rules"


def test_what_is_set_on_screens_is_said_as_a_file_that_sets_it(client: TestClient, practice: str) -> None:
    connect(client, practice, "desk-a")
    call(client, "PUT", "storage/limits", json={"sample_days": 9, "most_bytes": 5_000_000_000, "make_room": True})
    call(client, "PUT", "snapshots/schedule", json={"applies_to": ["desk"], "every": "2 h", "keep_days": 3})
    figure = {"name": "due", "sql": "SELECT 1 AS value"}
    edit = {"labels": ["east"], "scrapes": ["http://127.0.0.1:9/metrics"], "figures": [figure]}
    call(client, "PATCH", "connections/desk-a", json=edit)
    before = [call(client, "GET", path) for path in ("storage", "snapshots/schedule", "connections")]
    files = [before[0]["yaml"], before[1]["yaml"], before[2]["connections"][0]["yaml"]]
    call(client, "PUT", "storage/limits", json={})
    call(client, "PUT", "snapshots/schedule", json={})
    call(client, "PATCH", "connections/desk-a", json={"labels": [], "scrapes": [], "figures": []})
    store = client.collector.store  # type: ignore[attr-defined]
    for text in files:
        settings_file.apply(store, settings_file.read(text), 1)
    again = [call(client, "GET", path) for path in ("storage", "snapshots/schedule", "connections")]
    assert again[0]["use"]["limits"] == before[0]["use"]["limits"] and again[1] == before[1]
    assert again[2]["connections"][0]["yaml"] == files[2] and "labels:\n  - east" in files[2]
    with pytest.raises(settings_file.BadSettings, match=r"servers\.0\.account: the keyring has no 'x'"):
        settings_file.apply(store, settings_file.read("servers: [{server: desk-a, labels: [w], account: x}]"), 1)
    assert call(client, "GET", "connections")["labels"] == ["east"], "all of it or nothing"


def test_pausing_by_hand_and_going_on(client: TestClient, practice: str) -> None:
    connect(client, practice, "desk-a", "desk-b")
    call(client, "PUT", "capture-rules", json={"rules": [{"name": "mine"}]})
    made = call(client, "POST", "capture-rules/pause", json={"servers": ["desk-a", "desk-b"], "paused": True})
    assert [r["name"] for r in made["rules"]] == ["paused by hand", "mine"]
    made = call(client, "POST", "capture-rules/pause", json={"servers": ["desk-a"], "paused": False})
    assert made["rules"][0]["applies_to"] == ["desk-b"]
    made = call(client, "POST", "capture-rules/pause", json={"servers": ["desk-b"], "paused": False})
    assert [r["name"] for r in made["rules"]] == ["mine"]
    assert (
        call(client, "POST", "capture-rules/pause", 404, json={"servers": ["x"], "paused": True})["field"] == "server"
    )


def test_recording_tells_its_own_price(client: TestClient, practice: str) -> None:
    connect(client, practice, "desk-a")
    collector: Collector = client.collector  # type: ignore[attr-defined]
    (recorder,) = collector.recorders
    for _ in range(2):
        recorder.look_again(clock_us())
        time.sleep(1.5)
    recorder.look_again(clock_us())
    collector.write()
    found = call(client, "GET", "storage")["use"]
    (price,) = found["prices"]
    assert price["requests_per_s"] > 0 and price["bytes_a_day"] > 0 and price["server_share"] is None
    assert price["core_share"] > 0 and price["waited_share"] > 0
    assert "of a core here" in found["sentence"]


def test_a_full_store_records_nothing_new_and_says_why(client: TestClient, practice: str) -> None:
    connect(client, practice, "desk-a")
    free = call(client, "GET", "storage")["use"]
    assert free["days_left"] is None and free["used_bytes"] > 0
    low = call(client, "PUT", "storage/limits", json=free["limits"] | {"most_bytes": 10_000_000})
    assert low["use"]["limits"]["most_bytes"] == 10_000_000
    store = client.collector.store  # type: ignore[attr-defined]
    with store.engine.begin() as connection:
        connection.exec_driver_sql("CREATE TABLE ballast (body BLOB)")
        connection.exec_driver_sql("INSERT INTO ballast VALUES (zeroblob(12000000))")
    client.collector.refresh()  # type: ignore[attr-defined]
    (row,) = call(client, "GET", "connections")["connections"]
    assert (row["rule_mode"], row["mode"], row["capture"]) == ("everything", "reading", "paused")
    assert "storage limit" in row["why"]
    call(client, "PUT", "storage/limits", 422, json={"most_bytes": 5})


def test_read_shows_what_was_understood(client: TestClient) -> None:
    text = "address,name\npostgresql://a/b,desk\nhttp//x,\n"
    found = call(client, "POST", "connections/read", content=text, headers={"content-type": "text/plain"})
    assert [s["name"] for s in found["servers"]] == ["desk"] and found["rejected"][0]["line"] == 3


def test_a_bundle_over_the_api(client: TestClient, practice: str) -> None:
    assert call(client, "GET", "bundles/export", 404)["field"] == "scope"
    connect(client, practice, "desk-a")
    answer = client.get("/api/bundles/export", params={"scope": "desk-a", "focus": "PT1H"})
    assert answer.status_code == 200 and "desk-a.bundle" in answer.headers["content-disposition"]
    binary = {"content-type": "application/octet-stream"}
    opened = call(client, "POST", "bundles", 201, content=answer.content, headers=binary)
    assert opened["new"] and opened["servers"][0].startswith("desk-a-")
    assert call(client, "POST", "bundles", 422, content=b"PK nothing", headers=binary)["field"] == "file"
    row = next(r for r in call(client, "GET", "connections")["connections"] if r["server"] != "desk-a")
    assert row["capture"] == "opened"
    call(client, "DELETE", f"bundles/{opened['bundle']}", 204)
    call(client, "DELETE", f"bundles/{opened['bundle']}", 404)
    assert call(client, "GET", "bundles")["bundles"] == []
