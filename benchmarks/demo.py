"""The real demo as its readers have it: start, first screen, one reader and many, memory.

RUNNING_DEMO names one that already runs: then what takes a start of its own is left out.
"""

from __future__ import annotations

import os
import subprocess
import sys
import tempfile
import time
from pathlib import Path

import psutil
from tests.conftest import free_port, wait_for

from benchmarks import first_paint, readers
from benchmarks.goals import Goals, at_most

BIN = Path(sys.executable).parent
SETTLED_S = 60.0
GOALS: Goals = {
    **first_paint.GOALS, **readers.GOALS, "start on five weeks of 22 servers, s": at_most(4.0), "memory of serve, idle, GB": at_most(0.35),
    "memory of serve, after load, GB": at_most(0.5),
}  # fmt: skip


class Served:
    """A practice fleet, and the application over it in a process of its own."""

    def __init__(self, folder: Path) -> None:
        self.folder, ports = folder, [free_port(), free_port()]
        self.fleet_address, self.address = (f"http://127.0.0.1:{port}" for port in ports)
        practice = [str(BIN / "hardy-gauge-practice"), "serve", "--port", str(ports[0])]
        self.fleet = _started([*practice, "--state", str(folder / "practice.json")])
        wait_for(f"{self.fleet_address}/servers")
        data, port = str(folder / "data"), str(ports[1])
        self.command = [
            str(BIN / "hardy-gauge"),
            "serve",
            "--data",
            data,
            "--port",
            port,
            "--server",
            self.fleet_address,
        ]
        self.application: subprocess.Popen[bytes] | None = None

    def start(self) -> float:
        """Seconds until it answers."""
        began = time.monotonic()
        self.application = _started(self.command, HARDY_GAUGE_DEMO="true", HARDY_GAUGE_ALLOW_NETWORKS="127.0.0.0/8")
        wait_for(f"{self.address}/api/health", 1200)
        return time.monotonic() - began

    def memory_gb(self) -> float:
        """Of its process and those that work for it."""
        assert self.application is not None
        main = psutil.Process(self.application.pid)
        return float(sum(one.memory_info().rss for one in [main, *main.children(recursive=True)]) / 1e9)

    def stop(self) -> None:
        if self.application is not None:
            self.application.terminate()
            self.application.wait(60)
            self.application = None

    def close(self) -> None:
        self.stop()
        self.fleet.terminate()
        self.fleet.wait(60)


def _started(command: list[str], **environment: str) -> subprocess.Popen[bytes]:
    return subprocess.Popen(command, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL, env=os.environ | environment)


def read(address: str) -> dict[str, float]:
    """What readers of a running demo have."""
    return (
        first_paint.measure(address)
        | readers.one_reader(address)
        | readers.many(address, 10)
        | readers.many(address, 50)
    )


def measure() -> dict[str, float]:
    if address := os.environ.get("RUNNING_DEMO"):
        return read(address)
    with tempfile.TemporaryDirectory() as folder:
        served = Served(Path(folder))
        try:
            found = {"first start, s": served.start()}
            served.stop()
            found["start on five weeks of 22 servers, s"] = served.start()
            time.sleep(SETTLED_S)
            found["memory of serve, idle, GB"] = served.memory_gb()
            found |= read(served.address)
            found["memory of serve, after load, GB"] = served.memory_gb()
            return found
        finally:
            served.close()
