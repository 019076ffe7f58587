"""Schemathesis over the whole API as its OpenAPI document states it, as administrator, engineer, viewer and nobody: whatever it
makes up, nothing fails on our side, and every answer is one that the document names.

EXAMPLES in the environment says how many for each route; AS makes them all of one role; SEED begins elsewhere.
"""

from __future__ import annotations

import itertools
import os
from collections.abc import Iterator
from typing import Any

import pytest
import schemathesis
from fastapi.testclient import TestClient
from hypothesis import HealthCheck, Phase, seed, settings
from schemathesis.checks import not_a_server_error
from schemathesis.specs.openapi.checks import content_type_conformance, status_code_conformance

from hardy_gauge.api.route_roles import least_role
from hardy_gauge.capture.registration import discover, register
from tests.api.test_people import House

# what would end the session that asks, start processes, or never end
LEFT_OUT = r"/api/(sign-out|sign-in.*|first|me/password|people/.*|tokens/.*|trials|trials/[^/]*/events)$"
# an answer that says that a server did not answer, or does not report something, is an answer
FROM_SERVERS = (501, 502)
ROLES = ("administrator", "engineer", "administrator", "viewer", "administrator", "nobody")
turn = itertools.cycle([os.environ["AS"]] if "AS" in os.environ else ROLES)


@pytest.fixture(scope="module")
def people(practice: str, tmp_path_factory: pytest.TempPathFactory) -> Iterator[dict[str, TestClient]]:
    """A client for each role, of an application with a practice fleet."""
    house = House(tmp_path_factory.mktemp("schema"))
    register(house.store, discover(practice))
    with TestClient(house.app, raise_server_exceptions=False):
        head = house.first()
        made = {"administrator": head, "nobody": house.browser()}
        for role in ("engineer", "viewer"):
            made[role] = house.added(head, role, role)
        yield made
    house.store.close()


@pytest.fixture(scope="module")
def schema(people: dict[str, TestClient]) -> Any:
    return schemathesis.openapi.from_asgi("/api/openapi.json", people["nobody"].app, headers=headers(people["viewer"]))


def headers(client: TestClient) -> dict[str, str]:
    """Who a client is signed in as, for a request of another."""
    if "hardy_gauge" not in client.cookies:
        return {}
    return {"x-csrf-token": client.headers["x-csrf-token"], "cookie": f"hardy_gauge={client.cookies['hardy_gauge']}"}


made = schemathesis.pytest.from_fixture("schema").exclude(path_regex=LEFT_OUT)


@made.parametrize()
@seed(int(os.environ.get("SEED", "3")))
@settings(
    max_examples=int(os.environ.get("EXAMPLES", "2")),
    deadline=None,
    database=None,
    phases=[Phase.explicit, Phase.generate],
    suppress_health_check=list(HealthCheck),
)
def test_no_request_fails_on_our_side(case: schemathesis.Case, people: dict[str, TestClient]) -> None:
    role = next(turn)
    response = case.call(headers=headers(people[role]))
    checks = [status_code_conformance, content_type_conformance]
    if response.status_code not in FROM_SERVERS:
        checks.append(not_a_server_error)
    case.validate_response(response, checks=checks)
    if role == "nobody":
        assert response.status_code != 200 or least_role(case.method.upper(), case.path) is None
    else:
        assert response.status_code != 401, "the requests are made by someone who is signed in"
