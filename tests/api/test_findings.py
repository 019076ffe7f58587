"""Findings over the API: what people say of them, who may, and the articles behind them."""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path
from typing import Any

import pytest
from fastapi.testclient import TestClient

from hardy_gauge.api.app import create_app
from hardy_gauge.core.diagnosis.finding import Finding, Impact, Subject
from hardy_gauge.diagnose import life
from hardy_gauge.settings import AppSettings
from hardy_gauge.store.database import Store
from tests.conftest import signed_in
from tests.queries.builder import NOW, Built

VOLUME = Subject("volume", "data")


def found(cause: str, share: float = 0.0, subject: Subject = VOLUME, root: str = "") -> Finding:
    impact = Impact(share * 10, share * 9, share * 11)
    return Finding(cause, f"About {cause}", subject, impact, share, share, share, "plan", 0.8, [], [], root=root)


@pytest.fixture
def store_and_client(tmp_path: Path) -> Iterator[tuple[Store, TestClient]]:
    settings = AppSettings(data=tmp_path, demo=True, web=Path("/nowhere"))
    store = Store(settings.store_path)
    built = Built(store)
    for name in ("a", "b"):
        built.server(name)
    with TestClient(create_app(settings, store, clock=lambda: NOW)) as made:
        signed_in(made)
        yield store, made
    store.close()


def diagnosed(store: Store, server: int, *findings: Finding, now: int = NOW) -> None:
    with store.write() as session:
        life.keep(session, server, [(one, now - 60_000_000) for one in findings], set(), now)
        life.keep_state(session, server, [], "", now)


def listed(client: TestClient, scope: str = "fleet") -> Any:
    return client.get("/api/findings", params={"scope": scope}).json()


def test_noted_set_aside_and_taken_up_again(store_and_client: tuple[Store, TestClient]) -> None:
    store, client = store_and_client
    diagnosed(store, 1, found("data_volume_slow", 0.4))
    (one,) = listed(client)["findings"]
    assert one["state"] == "new" and "1 finding asks for something on 1 server" in listed(client)["sentence"]
    assert client.post(f"/api/findings/{one['id']}/note").status_code == 204
    assert listed(client)["findings"][0]["state"] == "noted" and "noted by" in listed(client)["findings"][0]["life"]
    for reason in ("", "   "):
        answer = client.post(f"/api/findings/{one['id']}/aside", json={"reason": reason})
        assert answer.status_code == 422 and answer.json()["field"] == "reason", answer.text
    assert client.post(f"/api/findings/{one['id']}/aside", json={"reason": "it moves in May"}).status_code == 204
    aside = listed(client)
    assert aside["findings"][0]["state"] == "set aside" and "it moves in May" in aside["findings"][0]["life"]
    assert "Nothing asks for anything" in aside["sentence"]
    diagnosed(store, 1, found("data_volume_slow", 0.5))
    assert listed(client)["findings"][0]["state"] == "set aside", "a quarter more"
    diagnosed(store, 1, found("data_volume_slow", 0.61))
    assert (
        listed(client)["findings"][0]["state"] == "noted" and "grown by half" in listed(client)["findings"][0]["life"]
    )
    assert client.delete(f"/api/findings/{one['id']}/aside").status_code == 204
    assert listed(client)["findings"][0]["state"] == "new"
    assert client.post("/api/findings/999/note").status_code == 404


def test_what_comes_back_says_so_and_stays_set_aside(store_and_client: tuple[Store, TestClient]) -> None:
    store, client = store_and_client
    diagnosed(store, 1, found("data_volume_slow", 0.4), now=NOW - 1_200_000_000)
    diagnosed(store, 1, now=NOW - 600_000_000)
    assert [one["state"] for one in listed(client)["findings"]] == ["over"]
    diagnosed(store, 1, found("data_volume_slow", 0.4))
    states = {one["state"]: one for one in listed(client)["findings"]}
    assert set(states) == {"over", "back"} and "came back" in states["back"]["life"]
    client.post(f"/api/findings/{states['back']['id']}/aside", json={"reason": "known"})
    diagnosed(store, 1, now=NOW + 60_000_000)
    diagnosed(store, 1, found("data_volume_slow", 0.4), now=NOW + 120_000_000)
    with store.read() as session:
        assert (
            session.connection().exec_driver_sql("SELECT aside_reason FROM finding ORDER BY id DESC").scalar()
            == "known"
        )


def test_one_cause_on_several_servers_is_told_once(store_and_client: tuple[Store, TestClient]) -> None:
    store, client = store_and_client
    diagnosed(store, 1, found("volume_shared", 0.2), found("cold_cache_after_failover", 0.1, Subject("server", "a")))
    diagnosed(store, 2, found("volume_shared", 0.5), found("cold_cache_after_failover", 0.1, Subject("server", "b")))
    rows = listed(client)["findings"]
    assert [(one["server"], one["also"]) for one in rows if one["finding"]["cause"] == "volume_shared"] == [
        ("b", ["a"])
    ]
    assert len([one for one in rows if one["finding"]["cause"] == "cold_cache_after_failover"]) == 2
    assert len(listed(client, "a")["findings"]) == 2


def test_the_fleet_and_the_tape_show_roots(store_and_client: tuple[Store, TestClient]) -> None:
    store, client = store_and_client
    diagnosed(store, 1, found("upkeep_off", 0.0), found("bloat", 0.0, Subject("table", "t"), root="upkeep_off"))
    lines = {line["server"]: line for block in client.get("/api/fleet").json()["clusters"] for line in block["lines"]}
    assert (lines["a"]["grade"], lines["a"]["finding"]) == ("plan", "About upkeep_off") and lines["b"][
        "grade"
    ] == "fine"
    assert [mark["title"] for mark in client.get("/api/tape", params={"span": "PT2H"}).json()["findings"]] == [
        "About upkeep_off"
    ]


def test_articles_are_listed_found_and_opened(store_and_client: tuple[Store, TestClient]) -> None:
    _, client = store_and_client
    assert len(client.get("/api/handbook").json()) > 100
    assert client.get("/api/handbook", params={"q": "circle order"}).json()[0]["key"] == "deadlocks"
    article = client.get("/api/handbook/wait family/row lock").json()
    assert article["title"] == "Row lock" and len(article["sections"]) == 7
    assert client.get("/api/handbook/cause/nothing").status_code == 404
    assert {"kind": "article", "name": "cause/hot_row", "words": "Hot row (cause)"} in client.get(
        "/api/find", params={"q": "hot row"}
    ).json()
