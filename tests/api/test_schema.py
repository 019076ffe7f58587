"""Schemathesis over the whole API as its OpenAPI document states it: whatever it makes up, nothing fails on our side."""

from __future__ import annotations

import os
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import pytest
import schemathesis
from fastapi.testclient import TestClient
from hypothesis import HealthCheck, Phase, settings
from schemathesis.checks import not_a_server_error

from hardy_gauge.api.app import create_app
from hardy_gauge.capture.registration import discover, register
from hardy_gauge.settings import AppSettings
from hardy_gauge.store.database import Store
from tests.conftest import signed_in

# what would end the session that asks, start processes, or never end
LEFT_OUT = r"/api/(sign-out|sign-in.*|first|me/password|people/.*|tokens/.*|trials|trials/[^/]*/events)$"
# an answer that says that a server did not answer, or does not report something, is an answer
FROM_SERVERS = (501, 502)


@pytest.fixture(scope="module")
def schema(practice: str, tmp_path_factory: pytest.TempPathFactory) -> Iterator[Any]:
    found = AppSettings(data=tmp_path_factory.mktemp("schema"), demo=True, web=Path("/nowhere"))
    store = Store(found.store_path)
    register(store, discover(practice))
    app = create_app(found, store)
    with TestClient(app, raise_server_exceptions=False) as client:
        signed_in(client)
        headers = {
            "x-csrf-token": client.headers["x-csrf-token"],
            "cookie": f"hardy_gauge={client.cookies['hardy_gauge']}",
        }
        document = schemathesis.openapi.from_asgi("/api/openapi.json", app, headers=headers)
        document.config.update(headers=headers)
        yield document
    store.close()


made = schemathesis.pytest.from_fixture("schema").exclude(path_regex=LEFT_OUT)


@made.parametrize()
@settings(
    max_examples=int(os.environ.get("EXAMPLES", "6")),
    deadline=None,
    derandomize=True,
    phases=[Phase.explicit, Phase.generate],
    suppress_health_check=list(HealthCheck),
)
def test_no_request_fails_on_our_side(case: schemathesis.Case) -> None:
    response = case.call()
    if response.status_code not in FROM_SERVERS:
        case.validate_response(response, checks=[not_a_server_error])
    assert response.status_code != 401, "the requests are made by someone who is signed in"
