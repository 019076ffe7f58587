"""Faults of what is around it, on the running application: sick probes, a clock that is stepped, a migration that is killed."""

from __future__ import annotations

import signal
import subprocess
import sys
import time
from collections.abc import Callable, Iterator
from pathlib import Path

import httpx
import psutil
import pytest
from alembic import command as alembic
from sqlalchemy import select

from hardy_gauge.store import segments
from hardy_gauge.store.database import Store
from hardy_gauge.store.migrate import config
from hardy_gauge.store.models import Gap, Server
from tests.conftest import ROOT, wait_until
from tests.faults.test_serve_killed import RATE, LiveServer
from tests.safety.running import Application, new_application

OPTIONS = {"HARDY_GAUGE_WRITE_EVERY_S": "1", "HARDY_GAUGE_ALLOW_NETWORKS": "127.0.0.0/8"}
OFTEN = {"rules": [{"name": "often", "counters": "10 s"}]}
HOUR_S = 3600


class Fleet:
    """Two servers that are recorded."""

    def __init__(self, app: Application) -> None:
        self.app, self.sick, self.well = app, LiveServer("sick"), LiveServer("well")
        body = {"servers": [{"address": one.address} for one in (self.sick, self.well)]}
        assert app.head.put("/api/capture-rules", json=OFTEN).status_code == 200
        assert all(not row["error"] for row in app.head.post("/api/connections", json=body).json())
        token = app.head.post("/api/tokens", json={"name": "watcher", "scope": "engineer"}).json()["token"]
        self.program = app.client(headers={"authorization": f"Bearer {token}"})
        wait_until(lambda: self.capture("sick") == self.capture("well") == "recording")

    def lines(self) -> dict[str, dict[str, object]]:
        fleet = self.program.get("/api/fleet").json()
        return {line["server"]: line for cluster in fleet["clusters"] for line in cluster["lines"]}

    def capture(self, name: str) -> object:
        return self.lines().get(name, {}).get("capture")

    def close(self) -> None:
        for one in (self.sick, self.well):
            one.http.shutdown()


@pytest.fixture(scope="module")
def fleet(tmp_path_factory: pytest.TempPathFactory) -> Iterator[Fleet]:
    with new_application(tmp_path_factory.mktemp("sick") / "data", **OPTIONS) as app:
        made = Fleet(app)
        yield made
        made.close()


def slow(_: str) -> tuple[int, bytes]:
    time.sleep(40)
    return 200, b"{}"


def endless() -> Iterator[bytes]:
    while True:
        yield b" " * 65536


SICK: dict[str, Callable[[str], tuple[int, bytes]]] = {
    "slow": slow,
    "huge": lambda _: (200, b'{"at_us": 1, "sessions": [' + b"1," * 150_000_000),
    "foreign": lambda _: (200, b"<html><title>printer</title></html>"),
    "refusing": lambda _: (500, b"no"),
}


@pytest.mark.parametrize("kind", [*SICK, "endless"])
def test_a_sick_probe_is_seen_within_15_s(fleet: Fleet, kind: str) -> None:
    """Fleet says of the sick server that it is not recorded, and why; the other is recorded on, and memory stays."""
    process = psutil.Process(fleet.app.process.pid)
    before = process.memory_info().rss
    if kind == "endless":
        fleet.sick.stream = endless
    else:
        fleet.sick.spoil = SICK[kind]
    wait_until(lambda: fleet.capture("sick") != "recording")
    line = fleet.lines()["sick"]
    assert line["capture_words"] and fleet.capture("well") == "recording", line
    assert process.memory_info().rss - before < 400_000_000
    fleet.sick.spoil, fleet.sick.stream = lambda _: None, None
    wait_until(lambda: fleet.capture("sick") == fleet.capture("well") == "recording")
    gaps = fleet.program.get("/api/tape?scope=sick").json()["gaps"]
    assert gaps and any(gap["reason"] for gap in gaps)


def test_the_clock_steps_14_hours_and_back(tmp_path: Path) -> None:
    """Each time is recorded once or marked, whatever our clock does; the step is said, and it never needs a restart."""
    clock = tmp_path / "clock"
    options = OPTIONS | {"STEPPED_CLOCK": str(clock)}
    app = Application(tmp_path / "data", module="tests.faults.stepped_clock", **options)
    try:
        app.first()
        fleet = Fleet(app)
        began = time.monotonic()
        for hours in (14, 0, -14, 0):
            time.sleep(12)
            clock.write_text(str(hours * HOUR_S))
            answers = [fleet.program.get(path).status_code for path in ("/api/fleet", "/api/tape", "/api/own-health")]
            assert answers == [200] * 3
            wait_until(lambda: fleet.capture("sick") == "recording")
            assert fleet.program.get("/api/ready").status_code == 200
            if hours:
                assert app.head.get("/api/fleet").status_code in (200, 401), "a sign-in may be too old by then"
        time.sleep(12)
        app.stop()
        passed = time.monotonic() - began
    finally:
        app.close()
        fleet.close()
    store = Store(app.folder / "hardy-gauge.db")
    with store.read() as session:
        number = session.scalars(select(Server.id).where(Server.name == "sick")).one()
        minutes = segments.read(session, [number], "metric", 0, 2**62)
        gaps = list(session.scalars(select(Gap).where(Gap.server_id == number)))
    store.close()
    assert (minutes["calls"] / minutes["span_s"]).is_between(RATE * 0.99, RATE * 1.01).all(), "none is counted twice"
    assert passed * 0.5 < minutes["span_s"].sum() < passed + 30, "as much time as has passed, whatever the clock said"
    assert any("clock" in gap.reason for gap in gaps) and all((gap.to_us or 2**62) >= gap.from_us for gap in gaps)
    assert "Traceback" not in app.log.read_text()


KILLED = """
import os, signal, sys
from pathlib import Path
from sqlalchemy import Engine, event
left = int(sys.argv[2])
def count(connection, cursor, statement, parameters, context, many):
    global left
    if not statement.startswith(("PRAGMA", "SELECT")):
        left -= 1
        if left < 0:
            os.kill(os.getpid(), signal.SIGKILL)
event.listen(Engine, "before_cursor_execute", count)
from hardy_gauge.store.database import Store
Store(Path(sys.argv[1]))
"""


def test_a_migration_that_is_killed_is_made_again(tmp_path: Path) -> None:
    """Killed after any of its statements, the store is as it was before; the next start brings it to this version."""
    folder = tmp_path / "data"
    with new_application(folder, **OPTIONS) as app:
        app.stop()
    path = folder / "hardy-gauge.db"
    store = Store(path)
    made = config()
    with store.engine.connect().execution_options(writes=True) as connection, connection.begin():
        made.attributes["connection"] = connection
        alembic.downgrade(made, "0006")
    store.close()
    killed = 0
    for statements in (0, 1, 3, 6, 9, 12):
        ended = subprocess.run([sys.executable, "-c", KILLED, str(path), str(statements)], cwd=ROOT, check=False)
        killed += ended.returncode == -signal.SIGKILL
    assert killed >= 5 and list(folder.glob("*.before-0006-*")), "a copy was made first"
    app.start()
    try:
        with httpx.Client(base_url=app.address, trust_env=False) as client:
            assert client.get("/api/ready").status_code == 200
        assert app.as_("engineer").get("/api/fleet").status_code == 200, "who could sign in still can"
    finally:
        app.close()
