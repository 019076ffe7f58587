"""``serve`` itself killed at random moments under load: everything acknowledged is there, nothing is counted twice.

KILLS_OF_SERVE=100 in the environment kills a hundred times.
"""

from __future__ import annotations

import itertools
import os
import random
import signal
import subprocess
import sys
import threading
import time
from pathlib import Path

import httpx
import pytest
from sqlalchemy import select, text

from hardy_gauge.capture.rules import CaptureRule
from hardy_gauge.capture.targets import set_rules
from hardy_gauge.store import segments
from hardy_gauge.store.database import Store
from hardy_gauge.store.models import CaptureState, Gap, Server
from tests.conftest import ROOT, free_port, wait_for
from tests.faults.fake import SECOND, FakeServer
from tests.patience import PATIENT_S

KILLS = int(os.environ.get("KILLS_OF_SERVE", "3"))
SERVERS, RATE, COUNTERS_S = 4, 10.0, 10.0


class LiveServer(FakeServer):
    """Works at ten calls a second by the clock of this machine, with three sessions."""

    def __init__(self, name: str) -> None:
        super().__init__(name)
        self.started = time.time_ns() // 1000 - 3600 * SECOND

    def answer(self, what: str) -> object:
        self.now = time.time_ns() // 1000
        self.calls = (self.now - self.started) / SECOND * RATE
        if what == "sessions":
            row = {"user": "u", "service": "s", "database": "d", "statement_key": None, "wait_event": "working"}
            return {"at_us": self.now, "sessions": [{"session": number} | row for number in range(3)]}
        return super().answer(what)


class Load:
    """Reads and writes over the API until the process is gone; remembers what was acknowledged."""

    def __init__(self, address: str, said: list[str]) -> None:
        self.client, self.said = httpx.Client(base_url=address, trust_env=False, timeout=PATIENT_S), said
        assert self.client.post("/api/sign-in/demo").status_code == 204
        self.client.headers["x-csrf-token"] = self.client.get("/api/me").json()["csrf_token"]
        self.thread = threading.Thread(target=self._work, daemon=True)
        self.thread.start()

    def _work(self) -> None:
        try:
            for number in itertools.count():
                label = f"l{len(self.said)}-{number}"
                body = {"servers": ["s0", "s1"], "add": [label], "remove": self.said[-1:]}
                if self.client.post("/api/connections/labels", json=body).status_code == 204:
                    self.said.append(label)
                for path in ("/api/fleet", "/api/tape", "/api/ledger?scope=s0", "/api/statements"):
                    assert self.client.get(path).status_code < 500
        except httpx.HTTPError:
            return


def life(folder: Path, addresses: list[str], said: list[str], alive_s: float) -> int:
    """Serve under load and kill without warning; returns when it was ready."""
    port = free_port()
    command = [sys.executable, "-m", "hardy_gauge.cli.main", "serve", "--data", str(folder), "--port", str(port)]
    for address in addresses:
        command += ["--server", address]
    env = os.environ | {"HARDY_GAUGE_DEMO": "true", "HARDY_GAUGE_WRITE_EVERY_S": "1"}
    process = subprocess.Popen(command, cwd=ROOT, env=env, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL)
    try:
        wait_for(f"http://127.0.0.1:{port}/api/health")
        ready_us = time.time_ns() // 1000
        load = Load(f"http://127.0.0.1:{port}", said)
        time.sleep(alive_s)
    finally:
        process.send_signal(signal.SIGKILL)
        process.wait()
    load.thread.join(timeout=PATIENT_S)
    return ready_us


@pytest.mark.timeout(max(600, KILLS * 60))
def test_serve_is_killed_at_random_moments(tmp_path: Path) -> None:
    chance = random.Random(int(os.environ.get("SEED", "7")))
    fakes = [LiveServer(f"s{number}") for number in range(SERVERS)]
    path = tmp_path / "hardy-gauge.db"
    store = Store(path)
    with store.write() as session:
        set_rules(session, [CaptureRule.model_validate({"name": "often", "counters": "10 s"})], 1)
    store.close()
    said: list[str] = []
    lives: list[int] = []
    reached = 0
    for _ in range(KILLS):
        lives.append(life(tmp_path, [fake.address for fake in fakes], said, chance.uniform(0.2, 24.0)))
        store = Store(path)
        with store.read() as session:
            assert session.execute(text("PRAGMA integrity_check")).scalar_one() == "ok"
            labels = session.scalars(select(Server).where(Server.name == "s0")).one().labels
            assert not said or said[-1] in labels or set(labels) - set(said), "what was acknowledged is there"
            until = min(row.recorded_until_us for row in session.scalars(select(CaptureState)))
            assert until >= reached, "what is recorded does not become less"
            reached = until
        store.close()
    life(tmp_path, [fake.address for fake in fakes], said, 25.0)
    store = Store(path)
    with store.read() as session:
        for server in session.scalars(select(Server)):
            samples = segments.read(session, [server.id], "sample", 0, 2**62)
            assert samples.select("at_us", "session").is_unique().all(), "no look is there twice"
            minutes = segments.read(session, [server.id], "metric", 0, 2**62).sort("at_us")
            assert len(minutes) > 0 and (minutes["calls"] / minutes["span_s"]).is_between(9.9, 10.1).all()
            gaps = list(
                session.scalars(select(Gap).where(Gap.server_id == server.id, Gap.kind == "gap").order_by(Gap.from_us))
            )
            assert all(gap.to_us for gap in gaps), "every gap is closed by the life after it"
            ends = [(gap.from_us, gap.to_us or 0) for gap in gaps]
            assert all(a[1] <= b[0] for a, b in itertools.pairwise(ends)), "no time is marked twice"
            counted = minutes["span_s"].sum()
            marked = sum(to - since for since, to in ends) / SECOND
            passed = (server.capture.recorded_until_us - lives[0]) / SECOND
            # looks may begin a moment before it is ready; a kill costs the counters since they were read last, which is at
            # most their interval
            assert counted + marked <= passed + COUNTERS_S, "no time is recorded twice"
            assert counted + marked >= passed - COUNTERS_S * (KILLS + 2), "each time is recorded, or marked"
    store.close()
    for fake in fakes:
        fake.http.shutdown()
