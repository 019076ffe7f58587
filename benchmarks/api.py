"""What every screen asks for, while the collector records the practice fleet, on the real demo."""

from __future__ import annotations

import os
import subprocess
import sys
import tempfile
import time
from pathlib import Path

import httpx
import numpy as np
from tests.conftest import free_port, wait_for

PATHS = [
    "fleet",
    "tape?scope=desk-a",
    "ledger?scope=desk-a",
    "statements?scope=desk-a",
    "servers/desk-a",
    "findings?scope=desk-a",
    "now",
    "now?scope=desk-a",
    "holdups?focus=PT6H",
    "strips?scope=desk-a",
    "ledger?by=service&against=wait_family&through=server",
    "ledger?scope=desk-a&by=kind&against=user&measure=rows_examined",
    "compare?scope=desk-a",
    "compare",
    "changes?focus=PT24H",
    "clusters/desk",
    "servers/desk-a/host",
    "log",
    "recurrences",
    "figures",
]
NAMES = ("active_sessions", "response_s", "calls_per_s", "pages_read_per_s", "log_bytes_per_s")
SERVERS = ("desk-a", "desk-b", "catalog-a", "reserve-a")
LONG = "strips?focus=P35D&" + "&".join(f"band=figure:{server}:{name}" for server in SERVERS for name in NAMES)
# between two questions, so that most of them are not answered from the same second
PAUSE_S = 0.4
ROUNDS = 15


def measure() -> dict[str, float]:
    if address := os.environ.get("RUNNING_DEMO"):
        return ask(address)
    port = free_port()
    with tempfile.TemporaryDirectory() as data:
        command = [str(Path(sys.executable).parent / "hardy-gauge"), "demo", "--port", str(port), "--data", data]
        process = subprocess.Popen(command, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL)
        try:
            wait_for(f"http://127.0.0.1:{port}/api/health", 300)
            time.sleep(15)
            return ask(f"http://127.0.0.1:{port}")
        finally:
            process.terminate()
            process.wait(30)


def ask(address: str) -> dict[str, float]:
    found: dict[str, float] = {}
    everything: list[float] = []
    with httpx.Client(base_url=f"{address}/api/", trust_env=False, timeout=30) as client:
        client.post("sign-in/demo")
        for path in PATHS:
            times = []
            for _ in range(ROUNDS):
                time.sleep(PAUSE_S)
                began = time.perf_counter()
                client.get(path).raise_for_status()
                times.append(time.perf_counter() - began)
            everything += times
            found[f"p95_s {path[:60]}"] = float(np.quantile(times, 0.95))
        began = time.perf_counter()
        client.get(LONG).raise_for_status()
        found["first_s 20 strips of 35 days"] = time.perf_counter() - began
    return {"p95_s all": float(np.quantile(everything, 0.95)), **found}
