"""Signing in, roles, tokens, the audit log, and what a browser of someone else's page cannot do."""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path
from typing import Any

import pytest
from fastapi.testclient import TestClient

from hardy_gauge.api.app import create_app
from hardy_gauge.api.route_roles import least_role
from hardy_gauge.settings import AppSettings
from hardy_gauge.store.database import Store
from tests.conftest import signed_in

PASSWORD = "a long enough pass phrase"
DAY_US = 86_400_000_000


class House:
    """An application that is not the demo, with a clock that the test moves."""

    def __init__(self, folder: Path, demo: bool = False) -> None:
        self.now = 1_795_000_000_000_000
        settings = AppSettings(data=folder, demo=demo, web=Path("/nowhere"))
        self.store = Store(settings.store_path)
        self.app = create_app(settings, self.store, clock=lambda: self.now)

    def browser(self) -> TestClient:
        return TestClient(self.app)

    def first(self) -> TestClient:
        made = self.browser()
        body = {"code": self.app.state.first_code, "name": "head", "password": PASSWORD}
        assert made.post("/api/first", json=body).status_code == 204
        return with_csrf_token(made)

    def added(self, head: TestClient, name: str, role: str) -> TestClient:
        body = {"name": name, "role": role, "password": PASSWORD}
        assert head.post("/api/people", json=body).status_code == 201
        made = self.browser()
        assert made.post("/api/sign-in", json={"name": name, "password": PASSWORD}).status_code == 204
        return with_csrf_token(made)


def with_csrf_token(client: TestClient) -> TestClient:
    client.headers["x-csrf-token"] = client.get("/api/me").json()["csrf_token"]
    return client


@pytest.fixture
def house(tmp_path: Path) -> Iterator[House]:
    made = House(tmp_path)
    yield made
    made.store.close()


def test_every_route_asks_who_it_is(house: House) -> None:
    stranger = house.browser()
    document = house.app.openapi()["paths"]
    routes = [(method.upper(), path) for path, methods in document.items() for method in methods]
    routes += [("GET", "/api/openapi.json"), ("GET", "/api/nothing"), ("DELETE", "/api/fleet")]
    open_to_all = {
        "/api/health",
        "/api/me",
        "/api/first",
        "/api/sign-in",
        "/api/sign-in/demo",
        "/api/sign-out",
        "/api/ready",
        "/api/sign-in/provider",
        "/api/sign-in/provider/return",
    }
    assert len(routes) > 40
    for method, path in routes:
        if path not in open_to_all:
            assert stranger.request(method, path).status_code == 401, (method, path)
    assert stranger.get("/api/health").status_code == 200


def test_the_first_needs_the_code_and_there_is_one_first(house: House) -> None:
    stranger = house.browser()
    assert stranger.get("/api/me").json()["first"]
    body = {"code": "guess", "name": "thief", "password": PASSWORD}
    assert stranger.post("/api/first", json=body).status_code == 401
    short = body | {"code": house.app.state.first_code, "password": "short"}
    assert stranger.post("/api/first", json=short).json()["field"] == "password"
    head = house.first()
    assert head.get("/api/me").json() | {"csrf_token": ""} == {
        "signed_in": True, "name": "head", "role": "administrator", "csrf_token": "", "demo": False, "first": False,
        "second_factor": False, "provider": "", "by_provider": False, "grants": [],
        "words": "You are head, administrator.",
    }  # fmt: skip
    again = body | {"code": house.app.state.first_code}
    assert stranger.post("/api/first", json=again).status_code == 409
    assert stranger.post("/api/sign-in/demo").status_code == 404, "only the demo lets everyone in"


ROLES = [
    ("GET", "fleet", True, True), ("POST", "plans/read", True, True), ("PUT", "capture-rules", False, True),
    ("POST", "connections/test", False, True), ("POST", "reports", False, True), ("GET", "accounts", False, True),
    ("POST", "accounts", False, False), ("PUT", "storage/limits", False, False), ("GET", "people", False, False),
    ("GET", "audit", False, False), ("POST", "tokens", True, True), ("GET", "bundles/export", True, True),
]  # fmt: skip


def test_roles(house: House) -> None:
    head = house.first()
    people = {role: house.added(head, role, role) for role in ("viewer", "engineer")}
    for method, path, *may in ROLES:
        found = [people[role].request(method, f"/api/{path}").status_code for role in people]
        assert [status != 403 for status in found] == may, (method, path, found)
        assert head.request(method, f"/api/{path}").status_code != 403


def test_a_path_that_nobody_thought_of_is_not_open() -> None:
    assert least_role("DELETE", "/api/anything/else") == "engineer" and least_role("GET", "/api//people") == "viewer"
    assert least_role("PATCH", "/api/people/x") == "administrator" and least_role("GET", "nowhere") == "administrator"


def test_a_write_from_another_page_is_refused(house: House) -> None:
    head = house.first()
    for csrf_token in ({"x-csrf-token": ""}, {"x-csrf-token": "guess"}):
        answer = head.put("/api/capture-rules", json={"rules": []}, headers=csrf_token)
        assert answer.status_code == 403 and "x-csrf-token" in answer.json()["detail"]
    assert head.put("/api/capture-rules", json={"rules": []}).status_code == 200
    cookie = house.browser().post("/api/sign-in", json={"name": "head", "password": PASSWORD}).headers["set-cookie"]
    assert "HttpOnly" in cookie and "samesite=strict" in cookie.lower()


def test_wrong_passwords_are_counted(house: House) -> None:
    house.first()
    stranger = house.browser()
    wrong = {"name": "head", "password": "not it at all"}
    assert [stranger.post("/api/sign-in", json=wrong).status_code for _ in range(6)] == [401] * 5 + [429]
    right = {"name": "head", "password": PASSWORD}
    assert stranger.post("/api/sign-in", json=right).status_code == 429, "also for who knows it by then"


def test_signed_in_ends(house: House) -> None:
    head = house.first()
    reader = house.added(head, "reader", "viewer")
    assert reader.get("/api/fleet").status_code == 200
    assert head.patch("/api/people/reader", json={"barred": True}).json()["browsers"] == 0
    assert reader.get("/api/fleet").status_code == 401
    assert reader.post("/api/sign-in", json={"name": "reader", "password": PASSWORD}).status_code == 401
    house.now += DAY_US // 3
    assert head.get("/api/fleet").status_code == 200
    house.now += DAY_US // 3
    assert head.get("/api/fleet").status_code == 200, "whoever is there stays signed in"
    house.now += DAY_US
    assert head.get("/api/fleet").status_code == 401, "but not after half a day away"


def test_signing_out_and_a_new_password(house: House) -> None:
    head, other = house.first(), house.browser()
    other.post("/api/sign-in", json={"name": "head", "password": PASSWORD})
    assert head.post("/api/me/password", json={"old": "no", "new": PASSWORD + "2"}).status_code == 403
    assert head.post("/api/me/password", json={"old": PASSWORD, "new": PASSWORD + "2"}).status_code == 204
    assert other.get("/api/fleet").status_code == 401 and head.get("/api/fleet").status_code == 200
    assert head.post("/api/sign-out").status_code == 204
    assert head.get("/api/fleet").status_code == 401


def test_someone_stays_administrator(house: House) -> None:
    head = house.first()
    assert head.patch("/api/people/head", json={"role": "viewer"}).status_code == 409
    house.added(head, "second", "administrator")
    assert head.patch("/api/people/head", json={"role": "viewer"}).status_code == 200
    assert head.get("/api/people").status_code == 403
    assert head.post("/api/people", json={"name": "x", "password": PASSWORD}).status_code == 403


def test_tokens_have_a_scope_and_an_end(house: House) -> None:
    head = house.first()
    made = head.post("/api/tokens", json={"name": "nightly", "scope": "viewer", "days": 2}).json()
    program = house.browser()
    program.headers["authorization"] = f"Bearer {made['token']}"
    assert program.get("/api/fleet").status_code == 200
    assert program.put("/api/capture-rules", json={"rules": []}).status_code == 403
    assert program.post("/api/tokens", json={"name": "more"}).status_code == 403
    assert made["token"] not in head.get("/api/tokens").text
    house.now += 3 * DAY_US
    assert program.get("/api/fleet").status_code == 401
    head = house.browser()
    head.post("/api/sign-in", json={"name": "head", "password": PASSWORD})
    writer = with_csrf_token(head).post("/api/tokens", json={"name": "rules", "scope": "engineer"}).json()
    program.headers["authorization"] = f"Bearer {writer['token']}"
    assert program.put("/api/capture-rules", json={"rules": []}).status_code == 200, "a program needs no csrf_token"
    assert head.delete(f"/api/tokens/{writer['id']}").status_code == 204
    assert program.get("/api/fleet").status_code == 401
    reader = house.added(head, "reader", "viewer")
    assert reader.post("/api/tokens", json={"name": "up", "scope": "engineer"}).json()["field"] == "scope"
    assert reader.get("/api/tokens").json() == [] and reader.delete(f"/api/tokens/{made['id']}").status_code == 404


def test_the_audit_log_has_every_write_and_no_secret(house: House) -> None:
    head = house.first()
    secret = "planted-Secret-90aa"
    head.post("/api/accounts", json={"name": "watch", "user": "g", "secret": secret})
    head.post("/api/plans/read", content="no", headers={"content-type": "text/plain"})
    head.put("/api/capture-rules", json={"rules": 3})
    house.added(head, "reader", "viewer").put("/api/capture-rules", json={"rules": []})
    lines = head.get("/api/audit").json()
    said = [(line["who"], line["action"], line["object"]) for line in reversed(lines)]
    assert said == [
        ("head", "POST", "/api/first"), ("head", "POST", "/api/accounts"), ("head", "POST", "/api/people"),
        ("reader", "POST", "/api/sign-in"), ("reader", "refused", "/api/capture-rules"),
    ]  # fmt: skip
    by_object = {line["object"]: line["changes"] for line in lines}
    assert by_object["/api/accounts"]["account watch"]["user"] == [None, "g"]
    assert by_object["/api/accounts"]["account watch"]["secret"] == ["", "changed"]
    assert by_object["/api/people"]["person reader"]["role"] == [None, "viewer"]
    assert head.get("/api/audit/state").json()["broken"] is None
    for impossible in (-(10**22), -1, 10**22, "soon"):
        refused = head.get("/api/audit", params={"before_us": impossible})
        assert (refused.status_code, refused.json()["field"]) == (422, "before_us")
    assert head.get("/api/audit", params={"before_us": 1}).json() == []
    everything = head.get("/api/audit").text + head.get("/api/people").text + str(lines)
    assert secret not in everything and PASSWORD not in everything
    raw = b"".join(path.read_bytes() for path in house.store.path.parent.glob("hardy-gauge.db*"))
    assert PASSWORD.encode() not in raw and secret.encode() not in raw and b"$argon2id$" in raw


def test_headers(house: House) -> None:
    headers: Any = house.browser().get("/api/health").headers
    assert "default-src 'self'" in headers["content-security-policy"] and headers["x-content-type-options"] == "nosniff"
    assert headers["x-frame-options"] == "SAMEORIGIN" and headers["cache-control"] == "no-store"


def test_the_demo_is_entered_with_one_click_and_says_so(tmp_path: Path) -> None:
    house = House(tmp_path, demo=True)
    client = signed_in(house.browser())
    me = client.get("/api/me").json()
    assert (me["name"], me["role"], me["demo"], me["first"]) == ("demo", "administrator", True, False)
    house.store.close()
