"""A span of the past diagnosed on demand: successive looks are lives, what is known stays, progress, stop, limits, who may."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import replace
from pathlib import Path
from typing import Any

import pytest
from fastapi.testclient import TestClient
from sqlalchemy import select

from hardy_gauge.api.app import create_app
from hardy_gauge.core.diagnosis.finding import Finding, Impact, Subject
from hardy_gauge.core.diagnosis.life import lives_of, looks_at
from hardy_gauge.core.diagnosis.runner import NotKnown
from hardy_gauge.core.time.span import DAY_US, HOUR_US, Span
from hardy_gauge.diagnose import past
from hardy_gauge.diagnose.examination import Examined
from hardy_gauge.settings import AppSettings
from hardy_gauge.store.database import Store
from hardy_gauge.store.models import StoredFinding
from tests.conftest import signed_in, wait_until
from tests.queries.builder import NOW, Built

SUBJECT = Subject("volume", "data")
ONE = Finding("data_volume_slow", "It is slow", SUBJECT, Impact(1.0, 0.9, 1.1), 0.2, 0.1, 0.3, "plan", 0.8, [], [])
SPAN = Span(NOW - DAY_US, NOW - DAY_US + 6 * HOUR_US)
ASKED = {"focus": "2026-11-23T15:00:00Z/2026-11-23T21:00:00Z"}


def test_each_hour_is_looked_at_and_the_end() -> None:
    assert looks_at(Span(0, 3 * HOUR_US)) == [HOUR_US, 2 * HOUR_US, 3 * HOUR_US]
    assert looks_at(Span(0, 90)) == [90], "a span that is shorter than an hour is looked at from its end"
    assert looks_at(Span(0, HOUR_US + 60)) == [60, HOUR_US + 60]


def test_what_is_found_at_looks_in_turn_is_one_life() -> None:
    heavy = replace(ONE, impact=Impact(3.0, 2.0, 4.0))
    lives = lives_of(
        [(10, [(ONE, 4)]), (20, [(heavy, 4), (replace(ONE, cause="hot_row"), 25)]), (30, []), (40, [(ONE, 35)])]
    )
    told = [(one.finding.cause, one.finding.impact.value, one.since_us, one.seen_us) for one in lives]
    assert told == [("data_volume_slow", 3.0, 4, 20), ("hot_row", 1.0, 20, 20), ("data_volume_slow", 1.0, 35, 40)]
    again = lives_of([(10, [(ONE, 4)]), (20, []), (30, [(ONE, 4)])])
    assert [(one.since_us, one.seen_us) for one in again] == [(4, 10), (10, 30)], "a second life begins after the first"


@pytest.fixture
def built(store: Store, monkeypatch: pytest.MonkeyPatch) -> Built:
    """Two servers; the first had a trouble in the second to fourth hour of the span."""
    built = Built(store)
    for name in ("a", "b"):
        built.server(name)

    def examined(reader: Any, server: Any, at_us: int, answer: Any) -> Examined:
        assert answer(None) is None, "nobody is asked about the past"
        hour = (at_us - SPAN.since_us) // HOUR_US
        found = [(ONE, SPAN.since_us + HOUR_US)] if server.name == "a" and 2 <= hour <= 4 else []
        return Examined(found, [NotKnown("hot_row", "sessions are not recorded")])

    monkeypatch.setattr(past, "examine", examined)
    return built


@pytest.fixture
def client(built: Built, tmp_path: Path) -> Iterator[TestClient]:
    settings = AppSettings(data=tmp_path, demo=True, web=Path("/nowhere"))
    with TestClient(create_app(settings, built.store, clock=lambda: NOW)) as made:
        signed_in(made)
        yield made


def ended(client: TestClient) -> Any:
    wait_until(lambda: client.get("/api/findings/past").json()["latest"]["state"] != "running")
    return client.get("/api/findings/past").json()["latest"]


def test_a_span_is_diagnosed_with_progress_and_kept(built: Built, client: TestClient) -> None:
    assert client.get("/api/findings/past").json() == {"latest": None}
    before = client.get("/api/findings", params=ASKED).json()
    assert before["findings"] == [] and any("This time was not diagnosed" in one for one in before["unknown"])
    begun = client.post("/api/findings/past", params=ASKED)
    assert begun.status_code == 202 and begun.json()["latest"]["looks"] == 12, begun.text
    done = ended(client)
    assert (done["state"], done["done"], done["found"]) == (
        "done",
        12,
        1,
    ) and "12 hours looked at on 2 servers" in done["words"]
    after = client.get("/api/findings", params=ASKED).json()
    (found,) = after["findings"]
    assert (found["state"], found["since_us"], found["ended_us"]) == (
        "over",
        SPAN.since_us + HOUR_US,
        SPAN.since_us + 4 * HOUR_US,
    )
    assert after["unknown"] == ["Not looked for: hot row, because sessions are not recorded."]
    client.post("/api/findings/past", params=ASKED)
    assert ended(client)["found"] == 0, "what is known stays as it is"
    part = client.get("/api/findings", params={"focus": "2026-11-22T15:00:00Z/2026-11-22T21:00:00Z"}).json()
    assert any("This time was not diagnosed" in one for one in part["unknown"]), "another day was not looked at"


def test_where_looking_ended_it_is_not_said_to_be_over(built: Built, client: TestClient) -> None:
    client.post("/api/findings/past", params={"focus": "2026-11-23T15:00:00Z/2026-11-23T18:00:00Z"})
    ended(client)
    (found,) = client.get("/api/findings", params=ASKED).json()["findings"]
    assert "seen until 23 Nov 18:00" in found["words"] and "over" not in found["words"]
    better = client.get(f"/api/findings/{found['id']}/improvement").json()
    assert better["sentence"].startswith("Not known: it was seen until 23 Nov 18:00") and better["focus"] is None


def test_one_at_a_time_and_stopped(built: Built, client: TestClient, monkeypatch: pytest.MonkeyPatch) -> None:
    slowly = past.examine

    def waiting(*given: Any) -> Examined:
        client.app.state.past._stop.wait(5)  # type: ignore[attr-defined]
        return slowly(*given)

    monkeypatch.setattr(past, "examine", waiting)
    assert client.post("/api/findings/past", params=ASKED).status_code == 202
    refused = client.post("/api/findings/past", params=ASKED)
    assert refused.status_code == 409 and "stop it" in refused.json()["detail"]
    assert client.delete("/api/findings/past").status_code == 204
    stopped = ended(client)
    assert stopped["state"] == "stopped" and "stopped after 1 of 12 hours" in stopped["words"]
    with built.store.read() as session:
        assert not session.scalars(select(StoredFinding)).all()


def test_what_cannot_be_looked_back_at(client: TestClient, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(past, "MOST_LOOKS", 100)
    cases = {
        "2026-11-24T14:30:00Z/2026-11-24T16:30:00Z": "the present",
        "2026-11-01T00:00:00Z/2026-11-06T00:00:00Z": "at most 50 hours",
    }
    for focus, words in cases.items():
        answer = client.post("/api/findings/past", params={"focus": focus})
        assert answer.status_code == 422 and answer.json()["field"] == "focus" and words in answer.json()["detail"], (
            answer.text
        )


def test_one_server_that_fails_costs_nobody_else(client: TestClient, monkeypatch: pytest.MonkeyPatch) -> None:
    well = past.examine

    def failing(reader: Any, server: Any, *more: Any) -> Examined:
        if server.name == "b":
            raise ZeroDivisionError
        return well(reader, server, *more)

    monkeypatch.setattr(past, "examine", failing)
    client.post("/api/findings/past", params=ASKED)
    done = ended(client)
    assert (done["state"], done["found"], done["failed"]) == (
        "done",
        1,
        1,
    ) and "1 of them could not be diagnosed" in done["words"]
    unknown = client.get("/api/findings", params=ASKED).json()["unknown"]
    assert "All of this time was diagnosed on 1 of 2 servers." in unknown


def test_a_part_of_a_time_that_was_diagnosed_is_not_all_of_it(client: TestClient) -> None:
    client.post("/api/findings/past", params=ASKED)
    ended(client)
    longer = client.get("/api/findings", params={"focus": "2026-11-23T15:00:00Z/2026-11-24T09:00:00Z"}).json()
    assert "All of this time was diagnosed on 0 of 2 servers." in longer["unknown"]
