"""What the screens ask for, with 200 servers of five weeks each: the store of ``benchmarks.diagnosis``, one reader, nothing shared.

The clock is put forward before each question, so that no answer is the one before; what is usual was learnt at the start, as it is
when the application runs.
"""

from __future__ import annotations

import tempfile
import time
from pathlib import Path
from typing import cast

import numpy as np
import psutil
from fastapi.testclient import TestClient

from benchmarks.diagnosis import NOW, SERVERS, copied, round_s
from hardy_gauge.api.app import create_app
from hardy_gauge.core.time.span import SECOND_US
from hardy_gauge.diagnose.scenario_play import Clock, recorded
from hardy_gauge.settings import AppSettings
from practice_fleet.scenario.reading import load_scenario, shipped

ROUTES = (
    "fleet", "tape?scope=fleet", "tape?scope=desk-a", "servers/desk-a", "servers/desk-a/host", "clusters/desk", "ledger?scope=desk-a",
    "ledger", "ledger?by=service&against=wait_family&through=server", "statements?scope=desk-a", "statements", "findings",
    "findings?scope=desk-a", "now", "holdups?focus=PT6H", "strips?scope=desk-a", "compare?scope=desk-a", "compare", "changes?focus=PT24H",
    "changes?scope=desk-a&focus=PT24H", "log", "log?scope=desk-a", "recurrences", "recurrences?scope=desk-a", "figures",
)  # fmt: skip
ROUNDS = 8


def measure() -> dict[str, float]:
    scenario = load_scenario(shipped("quillhaven"))
    names = [server.name for cluster in scenario.clusters for server in cluster.servers]
    with tempfile.TemporaryDirectory(dir="/dev/shm") as folder, recorded(scenario, Path(folder), NOW, names) as reader:
        copied(reader.store, SERVERS)
        round_s(reader)  # findings, as the worker in the background has them
        clock = cast(Clock, reader.clock)
        settings = AppSettings(data=Path(folder), demo=True, web=Path("/nowhere"))
        began, app = time.perf_counter(), create_app(settings, reader.store, clock=clock)
        with TestClient(app, base_url="http://127.0.0.1") as client:
            app.state.warmer.ready.wait(1200)
            found = {"learnt_s": time.perf_counter() - began} | ask(client, clock)
            found["memory_mb"] = psutil.Process().memory_info().rss / 1e6
    return found


def ask(client: TestClient, clock: Clock) -> dict[str, float]:
    client.post("/api/sign-in/demo").raise_for_status()
    found, everything = dict[str, float](), list[float]()
    for route in ROUTES:
        times = []
        for _ in range(ROUNDS):
            clock.us += 3 * SECOND_US
            began = time.perf_counter()
            client.get(f"/api/{route}").raise_for_status()
            times.append(time.perf_counter() - began)
        everything += times[1:]
        found[f"first_s {route[:60]}"] = times[0]
        found[f"p95_s {route[:60]}"] = float(np.quantile(times[1:], 0.95))
    return {"p95_s all": float(np.quantile(everything, 0.95)), **found}


if __name__ == "__main__":
    for name, value in measure().items():
        print(f"{name:<80}{value:>12.3f}")
