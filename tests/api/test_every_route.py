"""Whatever is asked of the API, the answer is an answer or a problem detail; never an error of our own."""

from __future__ import annotations

import re
from collections.abc import Iterator
from pathlib import Path

import pytest
from fastapi.testclient import TestClient
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from hardy_gauge.api.app import create_app
from hardy_gauge.capture.registration import discover, register
from hardy_gauge.settings import AppSettings
from hardy_gauge.store.database import Store
from tests.conftest import signed_in

STRANGE = st.one_of(
    st.text(max_size=12),
    st.integers(-(2**70), 2**70).map(str),
    st.sampled_from(
        ["", "PT0S", "-PT1H", "P9999999D", "PT1H", "usual", "desk-a", "desk", "fleet", "1e309", "nan", "../../etc",
         "2026-02-30T00:00:00Z/PT1H", "2026-01-01T00:00:00Z/2027-01-01T00:00:00Z", "%00", "'; DROP TABLE server"]
    ),
)  # fmt: skip


@pytest.fixture(scope="module")
def client(practice: str, tmp_path_factory: pytest.TempPathFactory) -> Iterator[TestClient]:
    """Servers that are known, without anything recorded yet: the state every user starts from."""
    settings_ = AppSettings(data=tmp_path_factory.mktemp("routes"), demo=True, web=Path("/nowhere"))
    store = Store(settings_.store_path)
    register(store, discover(practice))
    with TestClient(create_app(settings_, store), raise_server_exceptions=False) as made:
        signed_in(made)
        yield made
    store.close()


def reading_routes(client: TestClient) -> dict[str, list[str]]:
    """Every path that answers to GET, with the names of its query parameters."""
    paths = client.get("/api/openapi.json").json()["paths"]
    return {
        path: [p["name"] for p in verbs["get"].get("parameters", []) if p["in"] == "query"]
        for path, verbs in paths.items()
        if "get" in verbs and "events" not in path
    }


def test_routes_are_found(client: TestClient) -> None:
    routes = reading_routes(client)
    assert len(routes) >= 15 and "focus" in routes["/api/ledger"]


@settings(max_examples=250, deadline=None, suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(data=st.data())
def test_strange_questions_get_problem_details(client: TestClient, data: st.DataObject) -> None:
    routes = reading_routes(client)
    path = data.draw(st.sampled_from(sorted(routes)))
    parts = re.sub(r"{\w+}", lambda _: data.draw(STRANGE.filter(lambda t: t.isalnum() or t == "desk-a")), path)
    query = {name: data.draw(STRANGE) for name in data.draw(st.lists(st.sampled_from(routes[path] or ["x"])))}
    answer = client.get(parts, params=query)
    assert answer.status_code in (200, 400, 404, 422, 501, 502), answer.text
    if answer.status_code >= 400:
        assert answer.headers["content-type"] == "application/problem+json", (parts, query)
        problem = answer.json()
        assert problem["detail"] and problem["title"] and problem["status"] == answer.status_code


BODIES = st.recursive(
    st.one_of(
        st.none(), st.booleans(), st.integers(), st.floats(allow_nan=False, allow_infinity=False), st.text(max_size=6)
    ),
    lambda inner: st.one_of(
        st.lists(inner, max_size=3),
        st.dictionaries(st.sampled_from(["server", "arms", "goal", "target", "workload", "text", "run"]), inner),
    ),
    max_leaves=12,
)


@settings(max_examples=120, deadline=None, suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(body=BODIES, path=st.sampled_from(["trials", "reports", "trials/draft", "plans/read", "servers/desk-a/explain"]))
def test_strange_bodies_store_nothing(client: TestClient, body: object, path: str) -> None:
    answer = client.post(f"/api/{path}", json=body)
    assert answer.status_code in (404, 405, 422), answer.text
    assert client.get("/api/trials").json()["trials"] == [] and client.get("/api/reports").json()["reports"] == []
