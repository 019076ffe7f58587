"""Answers that are the same for all: computed once for many readers, new after a write and with the next second."""

from __future__ import annotations

import threading
from collections.abc import Iterator
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

import httpx
import pytest

from hardy_gauge.api.app import create_app
from hardy_gauge.queries import fleet
from hardy_gauge.settings import AppSettings
from hardy_gauge.store.database import Store
from hardy_gauge.store.models import Cluster
from tests.conftest import Serving, signed_in, wait_until
from tests.patience import PATIENT_S


class Counted:
    """An application whose fleet is counted each time it is computed, and whose clock the test moves."""

    def __init__(self, folder: Path, monkeypatch: pytest.MonkeyPatch, share_s: float = 0.0) -> None:
        self.now, self.count, self._lock = 1_795_000_000_000_000, 0, threading.Lock()
        settings = AppSettings(data=folder, demo=True, web=Path("/nowhere"))
        self.store = Store(settings.store_path)
        computed = fleet.fleet

        def counted(*given: object) -> object:
            with self._lock:
                self.count += 1
            threading.Event().wait(0.2)
            return computed(*given)  # type: ignore[arg-type]

        monkeypatch.setattr(fleet, "fleet", counted)
        self.app = create_app(settings, self.store, clock=lambda: self.now, share_s=share_s)


@pytest.fixture
def served(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> Iterator[tuple[Counted, httpx.Client]]:
    made = Counted(tmp_path, monkeypatch)
    with (
        Serving(made.app) as serving,
        httpx.Client(base_url=serving.address, trust_env=False, timeout=PATIENT_S) as client,
    ):
        yield made, signed_in(client)
    made.store.close()


def test_many_readers_are_one_computation(served: tuple[Counted, httpx.Client]) -> None:
    made, client = served
    with ThreadPoolExecutor(20) as pool:
        answers = list(pool.map(lambda _: client.get("/api/fleet"), range(20)))
    assert {a.status_code for a in answers} == {200} and len({a.text for a in answers}) == 1 and made.count == 1
    made.now += 1_000_000
    client.get("/api/fleet")
    assert made.count == 2
    client.get("/api/fleet")
    assert made.count == 2
    assert client.put("/api/capture-rules", json={"rules": []}).status_code == 200
    client.get("/api/fleet")
    assert made.count == 3, "after a write it is computed anew"


def test_what_is_known_is_not_sent_again(served: tuple[Counted, httpx.Client]) -> None:
    _, client = served
    first = client.get("/api/fleet")
    again = client.get("/api/fleet", headers={"if-none-match": f'"x", W/{first.headers["etag"]}'})
    assert again.status_code == 304 and again.content == b"" and again.headers["etag"] == first.headers["etag"]
    assert client.get("/api/fleet", headers={"if-none-match": '"x"'}).content == first.content
    with httpx.Client(base_url=client.base_url, trust_env=False) as stranger:
        assert stranger.get("/api/fleet", headers={"if-none-match": first.headers["etag"]}).status_code == 401
    assert client.get("/api/servers/nobody").status_code == 404 and client.get("/api/servers/nobody").status_code == 404


def test_what_took_long_is_shared_while_only_recording_goes_on(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    made = Counted(tmp_path, monkeypatch, share_s=600.0)
    monkeypatch.setattr("hardy_gauge.api.shared_answers.SHARE", 1000.0)
    with (
        Serving(made.app) as serving,
        httpx.Client(base_url=serving.address, trust_env=False, timeout=PATIENT_S) as client,
    ):
        signed_in(client)
        client.get("/api/fleet")
        for _ in range(3):
            made.now += 3_000_000
            with made.store.write() as session:
                session.add(Cluster(name=f"c{made.now}"))
            client.get("/api/fleet")
        assert made.count == 1, "what is recorded meanwhile is in the next answer"
        assert client.put("/api/capture-rules", json={"rules": []}).status_code == 200
        client.get("/api/fleet")
        assert made.count == 2, "what a person changes is seen at once"
    made.store.close()


def test_what_takes_long_is_made_anew_by_itself_while_somebody_asks(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    made = Counted(tmp_path, monkeypatch, share_s=0.3)
    monkeypatch.setattr("hardy_gauge.api.shared_answers.SHARE", 1.0)
    monkeypatch.setattr("hardy_gauge.api.shared_answers.FOLLOWED_S", 8.0)
    with (
        Serving(made.app) as serving,
        httpx.Client(base_url=serving.address, trust_env=False, timeout=PATIENT_S) as client,
    ):
        signed_in(client)
        first = client.get("/api/fleet").json()["now_us"]
        for _ in range(4):
            computed = made.count
            made.now += 10_000_000
            wait_until(lambda computed=computed: made.count > computed + 1)  # type: ignore[misc]
            answer = client.get("/api/fleet").json()
            assert answer["now_us"] > first, "what was made meanwhile is answered"
            first = answer["now_us"]
        assert client.put("/api/capture-rules", json={"rules": []}).status_code == 200
        acted = made.now = made.now + 10_000_000
        assert client.get("/api/fleet").json()["now_us"] == acted, "what a person changes is seen at once"
        wait_until(lambda: is_still(made))
    made.store.close()


def is_still(made: Counted) -> bool:
    """Nothing is made any more for nobody."""
    before = made.count
    threading.Event().wait(1.5)
    return made.count == before
