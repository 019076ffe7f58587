"""The Fleet of servers that were made for it: the odd one among peers, versions, members, uneven work; saved views; bulk."""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path
from typing import Any

import polars as pl
import pytest
from fastapi.testclient import TestClient

from hardy_gauge.api.app import create_app
from hardy_gauge.core.time.span import Span
from hardy_gauge.queries.reader import Reader
from hardy_gauge.settings import AppSettings
from hardy_gauge.store import segments
from hardy_gauge.store.database import Store
from hardy_gauge.store.models import CaptureState, Cluster, Gap, Server
from tests.conftest import signed_in

MINUTE_US = 60_000_000
NOW = 1_773_000_000_000_000
HOST = {"cores": 8, "memory_bytes": 2**36, "volumes": []}


def join(store: Store, name: str, role: str = "member", calls: float = 600.0, time_s: float = 1.2, **more: Any) -> None:
    with store.write() as session:
        cluster = session.query(Cluster).filter_by(name="quay").first() or Cluster(name="quay")
        session.add(cluster)
        session.flush()
        given = {"engine_version": "4.1", "host": HOST} | {k: v for k, v in more.items() if k != "members"}
        server = Server(
            name=name, cluster_id=cluster.id, role=role, engine="practice", address=f"http://x/{name}", **given
        )
        server.capture = CaptureState(recorded_until_us=NOW, seen_us=NOW)
        session.add(server)
        session.flush()
        at = [NOW - i * MINUTE_US for i in range(1, 11)]
        frame = pl.DataFrame(
            {
                "at_us": at,
                "span_s": [60.0] * 10,
                "calls": [calls] * 10,
                "time_s": [time_s] * 10,
                "members_seen": [float(more.get("members", 4))] * 10,
            }
        )
        segments.append(session, server.id, "metric", frame)


@pytest.fixture
def store(tmp_path: Path) -> Iterator[Store]:
    opened = Store(AppSettings(data=tmp_path).store_path)
    yield opened
    opened.close()


@pytest.fixture
def client(store: Store, tmp_path: Path) -> Iterator[TestClient]:
    settings = AppSettings(data=tmp_path, demo=True, web=Path("/nowhere"))
    with TestClient(create_app(settings, store, clock=lambda: NOW)) as made:
        yield signed_in(made)  # type: ignore[misc]


def lines(client: TestClient) -> dict[str, dict[str, Any]]:
    (block,) = client.get("/api/fleet").json()["clusters"]
    return {line["server"]: line for line in block["lines"]}


def test_the_odd_one_among_peers_stands_first(store: Store, client: TestClient) -> None:
    for name, time_s in (("a", 1.2), ("b", 1.25), ("c", 6.0), ("d", 1.15)):
        join(store, name, time_s=time_s)
    found = lines(client)
    assert (
        next(iter(found)) == "c"
        and found["c"]["unlike"]
        and "5× its peers' time per call" in found["c"]["peer_words"].replace("4.9×", "5×")
    )
    assert not any(found[name]["unlike"] for name in "abd")
    assert found["c"]["peers"] == ["a", "b", "d"]
    sentence = client.get("/api/fleet").json()["sentence"]
    assert sentence == "Nothing can be called usual or unusual yet; 4 have no usual range yet.", "unknown is not usual"


def test_servers_that_should_not_look_alike_are_not_compared(store: Store, client: TestClient) -> None:
    join(store, "head", role="primary", time_s=30.0)
    for name in "ab":
        join(store, name, role="replica")
    join(store, "large", role="replica", time_s=20.0, host=HOST | {"cores": 64})
    found = lines(client)
    assert found["head"]["peers"] == found["large"]["peers"] == [] and found["head"]["peer_distance"] is None
    assert found["a"]["peers"] == ["b"] and found["a"]["peer_distance"] is None, "of two, nobody knows which is odd"


def test_what_differs_beside_each_other_is_said(store: Store, client: TestClient) -> None:
    for name in "abc":
        join(store, name)
    (block,) = client.get("/api/fleet").json()["clusters"]
    assert (block["odd"], block["well"]) == ([], ["all see 4 members"])
    join(store, "d", engine_version="4.2", calls=1200.0, members=3)
    (block,) = client.get("/api/fleet").json()["clusters"]
    assert block["odd"] == [
        "versions differ: d runs practice 4.2, the rest practice 4.1", "members disagree: d sees 3, the others 4",
        "uneven: d does 40% of the calls of 4 members",
    ]  # fmt: skip


def test_views_are_saved_replaced_and_removed(client: TestClient) -> None:
    assert client.put("/api/fleet/views", json={"name": "members", "query": "role=member"}).json() == [
        {"name": "members", "query": "role=member"}
    ]
    client.put("/api/fleet/views", json={"name": "members", "query": "role=member&unlike=1"})
    assert client.get("/api/fleet/views").json() == [{"name": "members", "query": "role=member&unlike=1"}]
    assert client.put("/api/fleet/views", json={"name": "", "query": ""}).json()["field"] == "name"
    assert client.delete("/api/fleet/views/other").status_code == 404
    assert client.delete("/api/fleet/views/members").status_code == 204
    assert client.get("/api/fleet/views").json() == []


def test_labels_of_many_are_all_changed_or_none(store: Store, client: TestClient) -> None:
    for name in "ab":
        join(store, name, labels=["old"])
    wrong = client.post("/api/connections/labels", json={"servers": ["a", "nobody"], "add": ["quay"]})
    assert wrong.status_code == 404 and lines(client)["a"]["labels"] == ["old"]
    assert (
        client.post(
            "/api/connections/labels", json={"servers": ["a", "b"], "add": ["quay "], "remove": ["old"]}
        ).status_code
        == 204
    )
    assert client.get("/api/fleet").json()["labels"] == ["quay"]
    assert client.post("/api/connections/retire", json={"servers": ["a"], "retired": True}).status_code == 204
    assert list(lines(client)) == ["b"]


def test_the_tape_hatches_as_much_as_is_missing(store: Store, client: TestClient) -> None:
    for name in "abcd":
        join(store, name)
    with store.write() as session:
        spans = ((1, "gap", 50, 20), (2, "gap", 30, 10), (3, "reset", 25, 25))
        session.add_all(
            Gap(
                server_id=s,
                kind=kind,
                from_us=NOW - since * MINUTE_US,
                to_us=NOW - until * MINUTE_US,
                reason="no answer",
            )
            for s, kind, since, until in spans
        )
    marks = client.get("/api/tape", params={"scope": "fleet"}).json()["gaps"]
    assert [(m["server"], m["share"]) for m in marks] == [("a", 0.25), ("2 of 4 servers", 0.5), ("b", 0.25)]
    (alone,) = client.get("/api/tape", params={"scope": "a"}).json()["gaps"]
    assert (alone["server"], alone["share"]) == ("a", 1.0)


def test_what_is_read_ahead_is_what_is_there(store: Store, client: TestClient) -> None:
    for number in range(3):
        join(store, f"q{number}", calls=600.0 + number)
    reader: Reader = client.app.state.reader  # type: ignore[attr-defined]
    spans = [
        Span(NOW - 10 * MINUTE_US, NOW),
        Span(NOW - 4 * MINUTE_US, NOW - MINUTE_US),
        Span(NOW - 3 * MINUTE_US, NOW - 3 * MINUTE_US),
    ]
    columns = ["calls", "time_s"]
    asked = [(number, span) for number in (1, 2, 3, 4) for span in spans]
    plain = [reader.counters([number], span, columns) for number, span in asked]
    with reader.read_ahead([1, 2, 3], spans[0], [*columns, "span_s"]):
        ahead = [reader.counters([number], span, columns) for number, span in asked]
        longer = reader.counters([1], Span(NOW - 20 * MINUTE_US, NOW), columns)
    assert [frame.to_dicts() for frame in ahead] == [frame.to_dicts() for frame in plain]
    assert sum(map(len, ahead)) == 3 * (10 + 3) and len(longer) == 10
