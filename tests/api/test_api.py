"""The API over a store filled from a practice fleet: answers, deep windows, and bad input."""

from __future__ import annotations

from collections.abc import Iterator
from datetime import UTC, datetime, timedelta
from pathlib import Path
from typing import Any

import pytest
from fastapi.testclient import TestClient
from sqlalchemy import func, select

from hardy_gauge.api.app import create_app
from hardy_gauge.capture.collector import Collector
from hardy_gauge.capture.history_backfill import backfill
from hardy_gauge.capture.registration import discover, register
from hardy_gauge.core.time.clock import clock_us
from hardy_gauge.diagnose.worker import DiagnosisWorker
from hardy_gauge.settings import AppSettings
from hardy_gauge.store.database import Store
from hardy_gauge.store.models import Report
from hardy_gauge.store.trial_models import Trial
from tests.conftest import signed_in


@pytest.fixture(scope="module")
def client(practice: str, tmp_path_factory: pytest.TempPathFactory) -> Iterator[TestClient]:
    data = tmp_path_factory.mktemp("api")
    settings = AppSettings(data=data, demo=True, web=Path("/nowhere"))
    store = Store(settings.store_path)
    servers = register(store, discover(practice))
    for server in servers:
        backfill(store, server.server_id, server.probe, server.identity, clock_us())
    Collector(store).stop()
    with TestClient(create_app(settings, store)) as made:
        signed_in(made)
        DiagnosisWorker(made.app.state.reader, between_s=0).round()  # type: ignore[attr-defined]
        yield made
    store.close()


def get(client: TestClient, path: str, **query: Any) -> Any:
    answer = client.get(f"/api/{path}", params=query)
    assert answer.status_code == 200, answer.text
    return answer.json()


def iso(minutes_ago: float) -> str:
    return (datetime.now(UTC) - timedelta(minutes=minutes_ago)).isoformat(timespec="seconds").replace("+00:00", "Z")


def test_health_and_openapi(client: TestClient) -> None:
    assert get(client, "health") == {"status": "ok", "demo": True, "version": "0.1.0"}
    document = get(client, "openapi.json")
    assert "/api/ledger" in document["paths"] and document["openapi"].startswith("3.")


def test_fleet_puts_the_unusual_server_first(client: TestClient) -> None:
    fleet = get(client, "fleet")
    assert fleet["servers"] == 4 and fleet["unusual"] == 1
    first = fleet["clusters"][0]["lines"][0]
    assert first["server"] == "desk-a" and "reading data" in first["words"] and 1.5 < first["ratio"] < 8
    minutes = (fleet["now_us"] - first["since_us"]) / 6e7
    assert 38 <= minutes <= 55, "the index was dropped 40 minutes before the fleet's first start"
    assert 80 < first["storage_days_left"] < 100
    assert fleet["clusters"][1]["lines"][0]["words"] == "idle"


def test_ledger_shows_what_grew_and_adds_up(client: TestClient) -> None:
    ledger = get(client, "ledger", scope="desk-a", focus="PT30M")
    top = ledger["entries"][0]
    assert top["key"] == "data read" and top["active_sessions"] > 1.5 * top["reference"]["value"]
    assert top["low"] < top["active_sessions"] < top["high"]
    assert sum(a["share"] for a in ledger["entries"]) == pytest.approx(1)
    columns = ledger["mosaic"]["columns"]  # the largest, with their share of all
    shown = sum(c["active_sessions"] for c in columns) / sum(c["share"] for c in columns)
    assert shown == pytest.approx(ledger["active_sessions"], rel=0.01)
    narrowed = get(
        client,
        "ledger",
        **{
            "scope": "desk-a",
            "focus": "PT30M",
            "by": "statement",
            "against": "user",
            "filter.wait_family": "data read",
        },
    )
    assert narrowed["active_sessions"] == pytest.approx(top["active_sessions"], rel=0.01)
    assert narrowed["labels"][narrowed["entries"][0]["key"]].startswith("SELECT h.id")


def test_reference_may_be_any_window(client: TestClient) -> None:
    focus, reference = f"{iso(30)}/{iso(5)}", f"{iso(1440 + 30)}/{iso(1440 + 5)}"
    ledger = get(client, "ledger", scope="desk-a", focus=focus, reference=reference)
    assert ledger["reference_note"] == "Compared with the reference window." and ledger["reference"]["spans"] == 1
    yesterday = get(client, "ledger", scope="desk-a", focus=reference)
    compared = sum(a["reference"]["value"] for a in ledger["entries"])
    assert compared == pytest.approx(yesterday["active_sessions"], rel=0.02)
    assert ledger["active_sessions"] > 1.5 * yesterday["active_sessions"], "the index is gone since"


def test_sampled_and_counted_time_agree(client: TestClient) -> None:
    focus = f"{iso(600)}/{iso(300)}"
    sampled = get(client, "ledger", scope="desk-a", focus=focus)["active_sessions"]
    counted = get(client, "statements", scope="desk-a", focus=focus)
    assert sampled == pytest.approx(sum(r["time_s"] for r in counted["rows"]) / counted["span_s"], rel=0.05)


def heaviest(client: TestClient) -> dict[str, Any]:
    return get(client, "statements", scope="desk-a", focus="PT30M")["rows"][0]


def test_statement_plans_and_finding(client: TestClient) -> None:
    row = heaviest(client)
    assert row["examined_per_row"] > 1e6 and row["reference_examined_per_row"]["value"] < 10
    detail = get(client, f"statements/{row['fingerprint']}", scope="desk-a", focus="PT3H")
    assert len(detail["plans"]) == 2 and detail["executions_in_all"] > 400
    served = {p["column"]: p["served"] for p in detail["predicates"]}
    assert served["title_id"] == "could" and served["id"] == "index"
    found = get(client, f"statements/{row['fingerprint']}", scope="desk-a", focus="PT30M")["findings"][0]
    finding = found["finding"]
    assert (
        found["server"] == "desk-a" and found["ended_us"] is None and finding["subject"]["name"] == row["fingerprint"]
    )
    assert finding["confidence"] == 0.95 and finding["question"] is None, "the server was asked in the background"
    assert finding["cause"] == "missing_index" and finding["grade"] == "act"
    assert finding["share_low"] < finding["share"] < finding["share_high"]
    assert finding["remedies"][0]["index"]["columns"] == ["title_id", "state", "placed_at"]
    plan = get(client, f"servers/desk-a/plans/{detail['plans'][0]['plan_key']}")
    assert sum(s["own_time_s"] for s in plan["steps"]) == pytest.approx(plan["time_s"])
    assert any(s["operation"] == "scan" and s["own_share"] > 0.9 for s in plan["steps"])
    imagined = client.post(
        "/api/servers/desk-a/explain",
        json={"text": row["text"], "add_indexes": [{"table": "hold_request", "columns": ["title_id"]}]},
    ).json()
    assert imagined["time_s"] < plan["time_s"] / 100


def test_server_sheet(client: TestClient) -> None:
    sheet = get(client, "servers/desk-a", focus="PT30M")
    assert "worked as usual until" in sheet["sentence"] and "Missing index on hold_request" in sheet["sentence"]
    assert [c["title"] for c in sheet["changes"]] == ["index hold_request_title dropped"]
    assert {s["name"] for s in sheet["settings"]} == {"buffer_cache_bytes", "max_sessions"}
    assert [m["server"] for m in sheet["members"]] == ["desk-a", "desk-b", "desk-c"]


def test_tape(client: TestClient) -> None:
    tape = get(client, "tape", scope="desk-a", span="PT2H")
    assert len(tape["at_us"]) == len(tape["active_sessions"]) == len(tape["usual_high"])
    assert [c["kind"] for c in tape["changes"]] == ["schema"] and [m["server"] for m in tape["findings"]] == ["desk-a"]
    whole = get(client, "tape", scope="desk", span="PT2H")["active_sessions"][5]
    assert whole > tape["active_sessions"][5]


def test_find_and_lists(client: TestClient) -> None:
    assert [h["name"] for h in get(client, "find", q="server desk")] == ["desk-a", "desk-b", "desk-c"]
    assert get(client, "trials")["trials"] == [] and get(client, "reports")["reports"] == []
    assert {t["name"] for t in get(client, "trials/targets")} == {"lab-a", "library"}
    noted = get(client, "findings", scope="desk-b")["findings"]
    assert [one["finding"]["cause"] for one in noted if one["finding"]["grade"] in ("plan", "act")] == []


def test_report_is_saved_whole(client: TestClient) -> None:
    made = client.post("/api/reports", params={"focus": "PT30M"}, json={"server": "desk-a"}).json()
    page = client.get(f"/api/reports/{made['id']}/html", params={"download": True})
    assert (
        "CREATE INDEX" in page.text
        and "95% interval" in page.text
        and "attachment" in page.headers["content-disposition"]
    )
    assert "<script" not in page.text


BAD = [
    ("GET", "servers/desk-z", None, 404, "server"),
    ("GET", "ledger?scope=nowhere", None, 404, "server"),
    ("GET", "ledger?focus=yesterday", None, 422, "focus"),
    ("GET", "ledger?focus=2026-11-02T10:00:00Z/2026-11-02T09:00:00Z", None, 422, "focus"),
    ("GET", "ledger?focus=2020-01-01T00:00:00Z/2026-01-01T00:00:00Z", None, 422, "focus"),
    ("GET", "ledger?focus=2090-01-01T00:00:00Z/2090-01-01T01:00:00Z", None, 422, "focus"),
    ("GET", "ledger?reference=often", None, 422, "reference"),
    ("GET", "ledger?by=colour", None, 422, "by"),
    ("GET", "ledger?by=user&against=user", None, 422, "against"),
    ("GET", "ledger?filter.colour=red", None, 422, "filter.colour"),
    ("GET", "tape?span=x", None, 422, "span"),
    ("GET", "statements/0000", None, 404, "fingerprint"),
    ("GET", "servers/desk-a/plans/0000", None, 404, "plan_key"),
    ("GET", "trials/999", None, 404, "id"),
    ("GET", "trials/none", None, 422, "trial_id"),
    ("POST", "trials/999/stop", {}, 404, "id"),
    ("POST", "trials", {"title": "x"}, 422, "goal"),
    ("POST", "reports", {}, 422, "server"),
    ("POST", "reports", {"server": "desk-z"}, 404, "server"),
    ("POST", "servers/desk-a/explain", {"text": "SELECT colour FROM loan"}, 422, "text"),
    (
        "POST",
        "servers/desk-a/explain",
        {"text": "SELECT id FROM loan", "add_indexes": [{"table": "loan", "columns": ["colour"]}]},
        422,
        "add_indexes.columns",
    ),
    ("GET", "nothing", None, 404, ""),
]


@pytest.mark.parametrize(("method", "path", "body", "status", "field"), BAD)
def test_bad_input_is_a_problem_detail(
    client: TestClient, method: str, path: str, body: Any, status: int, field: str
) -> None:
    answer = client.request(method, f"/api/{path}", json=body)
    problem = answer.json()
    assert answer.status_code == status and answer.headers["content-type"] == "application/problem+json"
    assert problem["field"] == field and problem["detail"]


def test_malformed_plan_names_the_step(client: TestClient) -> None:
    answer = client.post(
        "/api/plans/read",
        content='{"operation": "scan", "steps": [{"operation": 3}]}',
        headers={"content-type": "text/plain"},
    )
    assert answer.status_code == 422 and answer.json()["field"] == "root.steps.0"


def stored(client: TestClient) -> tuple[int, int]:
    """How many trials and reports there are."""
    with client.app.state.reader.store.read() as session:  # type: ignore[attr-defined]
        trials, reports = (session.scalar(select(func.count()).select_from(kind)) for kind in (Trial, Report))
        return int(trials or 0), int(reports or 0)


def test_a_refused_trial_stores_nothing(client: TestClient) -> None:
    before = stored(client)
    design = get(client, "trials/samples/library")
    design["arms"][1]["settings"] = {"cache_size": 10**15}
    answer = client.post("/api/trials", json=design)
    assert answer.status_code == 422 and answer.json()["field"] == "arms.1.settings.cache_size"
    draft = client.post(
        "/api/trials/draft",
        params={"focus": "PT30M"},
        json={
            "server": "desk-a",
            "statement": heaviest(client)["fingerprint"],
            "table": "hold_request",
            "columns": ["colour"],
        },
    ).json()["design"]
    answer = client.post("/api/trials", json=draft)
    assert answer.status_code == 422 and "colour" in answer.json()["detail"]
    assert stored(client) == before


def test_a_setting_that_is_advised_is_drafted_as_a_trial(client: TestClient) -> None:
    setting = {"name": "sort_memory_bytes", "value": 8388608, "before": 4194304}
    asked = {"server": "desk-a", "setting": setting}
    draft = client.post("/api/trials/draft", params={"focus": "PT30M"}, json=asked).json()["design"]
    assert [arm["settings"] for arm in draft["arms"]] == [
        {"sort_memory_bytes": 4194304},
        {"sort_memory_bytes": 8388608},
    ]
    assert draft["goal"]["statement"] is None and len(draft["workload"]["statements"]) > 3 and "expects" not in draft
    mine = heaviest(client)
    won = {"what": "active sessions won back", "value": 2.0, "unit": "sessions", "source": "spills", "reference": 4.0, "low": 1.0, "high": 3.0}  # fmt: skip
    asked |= {"statement": mine["fingerprint"], "expected": [won]}
    draft = client.post("/api/trials/draft", params={"focus": "PT30M"}, json=asked).json()["design"]
    assert draft["expects"] == {"ratio": 0.5, "low": 0.25, "high": 0.75, "source": "spills"}
    assert draft["workload"]["statements"][draft["goal"]["statement"]]["sql"] == mine["text"]
    lost = client.post("/api/trials/draft", params={"focus": "PT30M"}, json=asked | {"statement": "0" * 16}).json()[
        "design"
    ]
    assert "expects" not in lost and lost["goal"]["statement"] is None, "of a statement that is not played"
    assert get(client, "trials/expectations")["sentence"].startswith("No trial has measured yet")
    assert client.post("/api/trials/draft", json={"server": "desk-a"}).status_code == 422


def test_sizes_and_the_cache_curve_of_a_server(client: TestClient) -> None:
    sheet = get(client, "servers/desk-a/sizing")
    assert sheet["curve"] and {"memory", "sessions"} <= {aid["name"] for aid in sheet["aids"]}
    curve = client.post("/api/servers/desk-a/cache-curve").json()
    ratios = [point["hit_ratio"] for point in curve["curve"]["points"]]
    assert ratios == sorted(ratios) and 0 < ratios[-1] <= 1 and curve["now"]["hit_ratio"] > 0
    assert "find 95% of what any size finds" in curve["sentence"]
    assert client.get("/api/servers/nobody/sizing").status_code == 404
    assert client.post("/api/servers/nobody/cache-curve").status_code == 404
