"""Roles for a cluster or a label: other servers are in no answer and cannot be changed; accounts are used by whom they name."""

from __future__ import annotations

import json
import re
from collections.abc import Iterator
from typing import Any

import httpx
import pytest
from fastapi.testclient import TestClient
from sqlalchemy import select

from hardy_gauge.api.route_roles import FOR_PARTS, READS, counts_for_parts
from hardy_gauge.capture.collector import Collector
from hardy_gauge.capture.history_backfill import backfill
from hardy_gauge.capture.registration import discover, register
from hardy_gauge.core.time.clock import clock_us
from hardy_gauge.diagnose.worker import DiagnosisWorker
from hardy_gauge.store.models import Plan, Server, Statement
from tests.api.test_people import PASSWORD, House, with_csrf_token
from tests.safety.running import Application


class Desk:
    """An application with a whole practice fleet, of which one server carries the label "mine"."""

    def __init__(self, house: House, practice: str) -> None:
        self.house = house
        house.now = clock_us()
        servers = register(house.store, discover(practice))
        for server in servers:
            backfill(house.store, server.server_id, server.probe, server.identity, house.now)
        Collector(house.store).stop()
        self.head = house.first()
        DiagnosisWorker(house.app.state.reader, between_s=0).round()
        with house.store.write() as session:
            rows = list(session.scalars(select(Server).order_by(Server.name)))
            rows[0].labels = ["mine"]
            self.mine, self.others = rows[0].name, [row.name for row in rows[1:]]
            self.clusters = {row.cluster.name for row in rows[1:]} - {rows[0].cluster.name}

    def person(self, name: str, role: str, *grants: tuple[str, str, str]) -> TestClient:
        given = [{"kind": kind, "name": group, "role": part} for kind, group, part in grants]
        body = {"name": name, "role": role, "grants": given, "password": PASSWORD}
        made = self.head.post("/api/people", json=body)
        assert made.status_code == 201 and made.json()["grants"] == sorted(given, key=lambda one: str(one)), made.text
        client = self.house.browser()
        assert client.post("/api/sign-in", json={"name": name, "password": PASSWORD}).status_code == 204
        return with_csrf_token(client)


@pytest.fixture(scope="module")
def desk(practice: str, tmp_path_factory: pytest.TempPathFactory) -> Iterator[Desk]:
    house = House(tmp_path_factory.mktemp("parts"))
    yield Desk(house, practice)
    house.store.close()


@pytest.fixture(scope="module")
def reader(desk: Desk) -> TestClient:
    """Somebody who may look at one server and at nothing else."""
    return desk.person("reader", "none", ("label", "mine", "viewer"))


def paths(desk: Desk) -> list[str]:
    """All reads that are open to a role for a part, each for every server and the fleet."""
    with desk.house.store.read() as session:
        prints = list(session.scalars(select(Statement.fingerprint).limit(5)))
        plans = list(session.execute(select(Server.name, Plan.plan_key).join(Server, Server.id == Plan.server_id)))
    scopes = ["fleet", desk.mine, *desk.others, *desk.clusters]
    found = ["/api/fleet", "/api/connections", "/api/find?text=a", "/api/find?text=server"]
    found += [f"/api/servers/{name}" for name in scopes] + [f"/api/servers/{name}/plans/{key}" for name, key in plans]
    found += [f"/api/servers/{name}/{part}" for name in scopes for part in ("objects", "tables/loan", "index-set")]
    found += [f"/api/servers/{name}/plans/{key}/against/{key}" for name, key in plans]
    for path in ("tape", "ledger", "statements", "findings", "indexes"):
        found += [f"/api/{path}?scope={scope}&focus=PT3H" for scope in scopes]
        found += [f"/api/{path}?scope={desk.mine}&reference=server:{other}" for other in desk.others]
    return found + [f"/api/statements/{key}?scope={scope}" for key in prints for scope in scopes]


def without_asked(body: str, path: str) -> str:
    """What was asked for may be repeated."""
    for name in re.findall(r"(?:scope=|server:|servers/)([\w-]+)", path):
        body = body.replace(name, "")
    return body


def test_no_answer_names_another_server(desk: Desk, reader: TestClient) -> None:
    """Every open read, after the administrator has just read the same, so that nothing shared is given out."""
    wrong, answered = [], 0
    for path in paths(desk):
        whole = desk.head.get(path)
        answer = reader.get(path)
        assert answer.status_code in (200, 404, 422), (path, answer.text)
        answered += answer.status_code == 200
        assert whole.status_code < 500 and desk.head.get(path).status_code == whole.status_code
        body = without_asked(answer.text, path)
        wrong += [(path, name) for name in desk.others if re.search(rf"\b{name}\b", body)]
        # a cluster's name may be a word of a sentence, as "a lab server" is
        wrong += [(path, name) for name in desk.clusters if re.search(rf'"{name}"|cluster {name}\b', body)]
    assert not wrong and answered > 10
    fleet = reader.get("/api/fleet").json()
    assert fleet["servers"] == 1 and desk.head.get("/api/fleet").json()["servers"] == 1 + len(desk.others)
    assert reader.get(f"/api/servers/{desk.others[0]}").status_code == 404
    assert reader.get(f"/api/servers/{desk.mine}").status_code == 200


def test_the_rest_needs_the_role_for_the_fleet(desk: Desk, reader: TestClient) -> None:
    document = desk.house.app.openapi()["paths"]
    closed = [p for p, methods in document.items() if "get" in methods and not counts_for_parts("GET", p, own=True)]
    named = {"/api/trials", "/api/reports", "/api/bundles/export", "/api/storage", "/api/capture-rules", "/api/imports"}
    assert named <= set(closed)
    for path in named:
        answer = reader.get(path)
        assert answer.status_code == 403 and "for the whole fleet" in answer.json()["detail"], path
    assert reader.get("/api/me").json()["grants"] == [{"kind": "label", "name": "mine", "role": "viewer"}]
    assert reader.get("/api/tokens").status_code == 200
    assert reader.patch(f"/api/connections/{desk.mine}", json={"labels": []}).status_code == 403, "it only looks"


def test_an_engineer_of_a_part_changes_that_part(desk: Desk) -> None:
    writer = desk.person("writer", "viewer", ("label", "mine", "engineer"))
    other = desk.others[0]
    changed = writer.patch(f"/api/connections/{desk.mine}", json={"labels": ["mine", "desk"]})
    assert changed.status_code == 200, changed.text
    assert writer.get(f"/api/servers/{other}").status_code == 200, "a viewer of the fleet sees it"
    for answer in (
        writer.patch(f"/api/connections/{other}", json={"labels": ["mine"]}),
        writer.post("/api/connections/labels", json={"servers": [desk.mine, other], "add": ["mine"]}),
        writer.post("/api/connections/retire", json={"servers": [other], "retired": True}),
        writer.post(f"/api/servers/{other}/explain", json={"text": "SELECT 1"}),
        writer.post(f"/api/servers/{other}/sessions/7/end", json={"user": "clerk", "reason": "holds the desk up"}),
        writer.post(f"/api/servers/{other}/statements/f/pin", json={"plan_key": "p", "reason": "to see"}),
    ):
        assert answer.status_code in (403, 422), answer.text
    with desk.house.store.read() as session:
        rows = {row.name: row.labels for row in session.scalars(select(Server))}
    assert rows == {desk.mine: ["desk", "mine"]} | {name: [] for name in desk.others}, "all of a request or nothing"
    taken = desk.head.get("/api/connections").json()["connections"]
    address = next(row["address"] for row in taken if row["server"] == other)
    blind = desk.person("blind", "none", ("label", "mine", "engineer"))
    answer = blind.patch(f"/api/connections/{desk.mine}", json={"address": address})
    assert answer.status_code == 409 and other not in answer.text, "taken by one that is not seen, and not named"
    assert blind.patch(f"/api/connections/{other}", json={"labels": []}).status_code == 404


def test_a_token_does_not_reach_further(desk: Desk) -> None:
    owner = desk.person("owner", "none", ("label", "mine", "engineer"))
    made = owner.post("/api/tokens", json={"name": "job", "scope": "viewer"})
    assert made.status_code == 201, made.text
    program = desk.house.browser()
    program.headers["authorization"] = f"Bearer {made.json()['token']}"
    assert program.get("/api/fleet").json()["servers"] == 1
    assert program.patch(f"/api/connections/{desk.mine}", json={"labels": []}).status_code == 403
    assert owner.post("/api/tokens", json={"name": "job", "scope": "administrator"}).status_code == 403


def test_a_grant_goes_at_once(desk: Desk) -> None:
    short = desk.person("short", "none", ("cluster", next(iter(desk.clusters), "nowhere"), "viewer"))
    seen = short.get("/api/fleet").json()["servers"]
    assert desk.head.patch("/api/people/short", json={"grants": []}).status_code == 200
    assert short.get("/api/fleet").status_code == 403 and seen <= len(desk.others)
    twice = [{"kind": "label", "name": "mine", "role": role} for role in ("viewer", "engineer")]
    assert desk.head.patch("/api/people/short", json={"grants": twice}).json()["field"] == "grants"


def test_every_open_route_was_asked(desk: Desk) -> None:
    """A read that is opened for parts later has to be in the list above."""
    asked = [path.partition("?")[0] for path in paths(desk)]
    for method, pattern in FOR_PARTS:
        if method in ("READ", *READS):
            assert any(re.fullmatch(pattern, path) for path in asked), pattern


def test_an_account_for_some_people(app: Application, administrator: httpx.Client) -> None:
    """Whoever may connect servers may not use every account: on the running application."""
    body: dict[str, Any] = {
        "name": "kept",
        "user": "u",
        "secret": "s",
        "hosts": ["127.0.0.1"],
        "people": ["nobody-here"],
    }
    assert administrator.post("/api/accounts", json=body).json()["field"] == "people"
    named, other = app.newcomer("engineer"), app.newcomer("engineer")
    assert administrator.post("/api/accounts", json=body | {"people": [named]}).json()["people"] == [named]
    wanted = {"address": "postgresql://127.0.0.1:1/x", "account": "kept"}
    refused = app.as_(other).post("/api/connections/test", json=wanted)
    assert refused.status_code == 403 and named in refused.json()["detail"], refused.text
    added = app.as_(other).post("/api/connections", json={"servers": [wanted]})
    assert "may be used by" in added.text, added.text
    allowed = app.as_(named).post("/api/connections/test", json=wanted)
    assert "may be used by" not in allowed.text, json.dumps(allowed.json())
