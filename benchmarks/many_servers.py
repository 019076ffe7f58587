"""What the screens ask for, with 200 servers of five weeks each: the store of ``benchmarks.diagnosis``, one reader.

``first`` is an answer that nobody asked for before, ``again`` the next ones with nothing shared: the clock is put forward before each
question, so that no answer is the one before. ``followed`` is what somebody waits who keeps four screens open, each of which asks every ten
seconds, of the application as it runs; what is usual was learnt at the start, as it is then.
"""

from __future__ import annotations

import tempfile
import time
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import cast

import numpy as np
import psutil
from fastapi import FastAPI
from fastapi.testclient import TestClient

from benchmarks.diagnosis import NOW, SERVERS, copied, round_s
from benchmarks.goals import Goals, at_most
from hardy_gauge.api.app import create_app
from hardy_gauge.cli.running import HOURS, SHARED_S
from hardy_gauge.core.time.span import SECOND_US
from hardy_gauge.diagnose.scenario_play import Clock, recorded
from hardy_gauge.queries.reader import Reader
from hardy_gauge.settings import AppSettings
from hardy_gauge.store import hour_files
from practice_fleet.scenario.reading import load_scenario, shipped

ROUTES = (
    "fleet", "tape?scope=fleet", "tape?scope=desk-a", "servers/desk-a", "servers/desk-a/host", "clusters/desk", "ledger?scope=desk-a",
    "ledger", "ledger?by=service&against=wait_family&through=server", "statements?scope=desk-a", "statements", "findings",
    "findings?scope=desk-a", "now", "holdups?focus=PT6H", "strips?scope=desk-a", "compare?scope=desk-a", "compare", "changes?focus=PT24H",
    "changes?scope=desk-a&focus=PT24H", "log", "log?scope=desk-a", "recurrences", "recurrences?scope=desk-a", "figures",
)  # fmt: skip
ROUNDS, OPEN, LOOKS, EVERY_S = 8, 4, 6, 10.0

GOALS: Goals = {"followed_*": at_most(0.2), "again_*": at_most(0.2), "memory_mb": at_most(1500)}


def measure() -> dict[str, float]:
    scenario = load_scenario(shipped("quillhaven"))
    names = [server.name for cluster in scenario.clusters for server in cluster.servers]
    with tempfile.TemporaryDirectory(dir="/dev/shm") as folder, recorded(scenario, Path(folder), NOW, names) as reader:
        copied(reader.store, SERVERS)
        round_s(reader)  # findings, as the worker in the background has them
        return asked(reader, Path(folder))


def asked(reader: Reader, folder: Path) -> dict[str, float]:
    """Seconds of each route of the application over a store, by name."""
    settings = AppSettings(data=folder, demo=True, web=Path("/nowhere"))
    hour_files.use(hour_files.HourFiles(folder / HOURS))
    clock, began = cast(Clock, reader.clock), time.monotonic()
    with running(create_app(settings, reader.store, clock=clock)) as client:
        found = {"learnt_s": time.monotonic() - began} | again(client, clock)
        found["memory_mb"] = psutil.Process().memory_info().rss / 1e6
    start, began = clock.us, time.monotonic()

    def passing() -> int:
        return start + int((time.monotonic() - began) * SECOND_US)

    with running(create_app(settings, reader.store, clock=passing, share_s=SHARED_S)) as client:
        return found | followed(client)


@contextmanager
def running(app: FastAPI) -> Iterator[TestClient]:
    with TestClient(app, base_url="http://127.0.0.1") as client:
        app.state.warmer.ready.wait(1200)
        client.post("/api/sign-in/demo").raise_for_status()
        yield client


def answer_s(client: TestClient, route: str) -> float:
    began = time.perf_counter()
    client.get(f"/api/{route}").raise_for_status()
    return time.perf_counter() - began


def again(client: TestClient, clock: Clock) -> dict[str, float]:
    found, everything = dict[str, float](), list[float]()
    for route in ROUTES:
        times = []
        for _ in range(ROUNDS):
            clock.us += 3 * SECOND_US
            times.append(answer_s(client, route))
        everything += times[1:]
        found[f"first_s {route[:60]}"] = times[0]
        found[f"again_p95_s {route[:60]}"] = float(np.quantile(times[1:], 0.95))
    return {"again_p95_s all": float(np.quantile(everything, 0.95)), **found}


def followed(client: TestClient) -> dict[str, float]:
    times: dict[str, list[float]] = {route: [] for route in ROUTES}
    for at in range(0, len(ROUTES), OPEN):
        for _ in range(LOOKS):
            turn = time.monotonic()
            for route in ROUTES[at : at + OPEN]:
                times[route].append(answer_s(client, route))
            time.sleep(max(turn + EVERY_S - time.monotonic(), 0))
    everything = [seconds for found in times.values() for seconds in found[1:]]
    found = {f"followed_most_s {route[:60]}": max(found[1:]) for route, found in times.items()}
    return {"followed_p95_s all": float(np.quantile(everything, 0.95)), **found}
