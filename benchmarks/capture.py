"""Two hundred practice servers sampled each second and counted each minute: cores used, ticks that are late, bytes stored.

The practice fleet answers from a process of its own; what is measured is the collector's process, which is this one.
"""

from __future__ import annotations

import json
import os
import subprocess
import sys
import tempfile
import time
from pathlib import Path
from unittest.mock import patch

import numpy as np
import psutil
import yaml
from sqlalchemy import func, select
from tests.conftest import free_port, wait_for

from benchmarks.goals import Goals, at_least, at_most
from hardy_gauge.capture.collector import Collector
from hardy_gauge.capture.recorder import Recorder
from hardy_gauge.capture.registration import discover, register
from hardy_gauge.store import segments
from hardy_gauge.store.database import Store
from hardy_gauge.store.models import Segment
from practice_fleet.scenario.reading import shipped

SERVERS = int(os.environ.get("CAPTURE_SERVERS", "200"))
SECONDS = float(os.environ.get("CAPTURE_SECONDS", "180"))
GOALS: Goals = {
    "cores_used": at_most(0.25 if SERVERS <= 200 else 0.8), "ticks_done_share": at_least(0.995), "tick_p99_s": at_most(0.5), "bytes_per_server_day": at_most(5e6),
}  # fmt: skip


def scenario(folder: Path) -> Path:
    """Clusters of four as in the shipped scenario of a partitioned cluster, as many as are needed."""
    document = yaml.safe_load((shipped().parent / "ring.yaml").read_text(encoding="utf-8"))
    first = document["clusters"][0]
    document["clusters"] = [
        first | {"name": f"ring{n}", "servers": [{"name": f"r{n}-{letter}", "role": "member"} for letter in "abcd"]}
        for n in range(-(-SERVERS // 4))
    ]
    document |= {"troubles": [], "history_days": 0.1, "sample_history_days": 0.1}
    path = folder / "many.yaml"
    path.write_text(json.dumps(document), encoding="utf-8")  # which is YAML too
    return path


def measure() -> dict[str, float]:
    port = free_port()
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        practice = str(Path(sys.executable).parent / "hardy-gauge-practice")
        command = [practice, "serve", "--scenario", str(scenario(folder)), "--port", str(port)]
        process = subprocess.Popen(command, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL)
        try:
            wait_for(f"http://127.0.0.1:{port}/servers", 300)
            return watch(folder, f"http://127.0.0.1:{port}")
        finally:
            process.terminate()
            process.wait(30)


def watch(folder: Path, address: str) -> dict[str, float]:
    store = Store(folder / "store.db")
    register(store, discover(address))
    late: list[float] = []
    plain = Recorder.tick

    def timed(recorder: Recorder, now_us: int) -> None:
        plain(recorder, now_us)
        late.append(time.time() - now_us / 1e6)

    with patch.object(Recorder, "tick", timed):
        collector = Collector(store)
        collector.start()
        time.sleep(15)
        late.clear()
        me, began = psutil.Process(), time.monotonic()
        used = _seconds_of(me)
        time.sleep(SECONDS)
        passed, used = time.monotonic() - began, _seconds_of(me) - used
        ticks = list(late)
        collector.stop()
    fresh = bytes_a_day(store)
    with store.write() as session:
        segments.compact(session, time.time_ns() // 1000 + 2 * segments.DAY_US)
    whole = bytes_a_day(store)
    store.close()
    return {
        "servers": float(SERVERS), "seconds": passed, "cores_used": used / passed,
        "ticks_done_share": len(ticks) / (SERVERS * passed), "tick_p50_s": float(np.quantile(ticks, 0.5)),
        "tick_p99_s": float(np.quantile(ticks, 0.99)), "bytes_per_server_day_as_written": fresh,
        "bytes_per_server_day": whole,
    }  # fmt: skip


def _seconds_of(process: psutil.Process) -> float:
    times = process.cpu_times()
    return float(times.user + times.system)


def bytes_a_day(store: Store) -> float:
    """Of one server, at the rate of what is stored."""
    columns = func.sum(func.length(Segment.body)), func.min(Segment.start_us), func.max(Segment.end_us)
    with store.read() as session:
        size, since, until = session.execute(select(*columns)).one()
    return float(size / SERVERS / ((until - since) / segments.DAY_US))
