"""A GET reads the store. No server is asked for it, whether it answers or not, and whatever its screen shows."""

from __future__ import annotations

import re
from collections.abc import Iterator
from pathlib import Path

import pytest
from fastapi.testclient import TestClient

from hardy_gauge.api.app import create_app
from hardy_gauge.capture import access
from hardy_gauge.settings import AppSettings
from hardy_gauge.store.database import Store
from tests.conftest import signed_in
from tests.queries.builder import HOUR, NOW, Built


@pytest.fixture
def client(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> Iterator[TestClient]:
    settings = AppSettings(data=tmp_path, demo=True, web=Path("/nowhere"))
    store = Store(settings.store_path)
    built = Built(store)
    for name in ("a", "b"):
        server = built.server(name, address=f"http://127.0.0.1:9/servers/{name}")
        built.minutes(server, HOUR.since_us, NOW, 1.0)
        statement = built.statement(f"SELECT {name}")
        built.calls(server, statement, HOUR.since_us, NOW, 10.0, 0.1)
        built.sessions(server, HOUR, 1, statement)

    def never(*_: object, **__: object) -> None:
        raise AssertionError("a server was asked")

    monkeypatch.setattr(access, "open_probe", never)
    with TestClient(create_app(settings, store, clock=lambda: NOW)) as made:
        yield signed_in(made)  # type: ignore[misc]
    store.close()


def test_no_get_asks_a_server(client: TestClient) -> None:
    values = {"server": "a", "fingerprint": "f-SELECT a", "name": "a", "scope": "fleet", "kind": "table"}
    read, answered = 0, {}
    for path, operations in client.get("/api/openapi.json").json()["paths"].items():
        if "get" not in operations or path.endswith("/events"):
            continue
        filled = re.sub(r"\{(\w+)\}", lambda found: values.get(found[1], "1"), path)
        answer = client.get(filled, params={"scope": "a", "focus": HOUR.iso(), "q": "a", "server": "a"})
        read += 1
        answered[path] = answer.status_code
    assert read > 30
    assert [path for path, status in answered.items() if status >= 500] == []
    for path in (
        "/api/fleet",
        "/api/servers/{server}",
        "/api/ledger",
        "/api/statements",
        "/api/statements/{fingerprint}",
    ):
        assert answered[path] == 200, path
