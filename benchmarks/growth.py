"""How time and memory grow with servers, days and statements: each size in a process of its own (docs/scale.md).

``learnt`` is what a start takes until what is usual is known, ``first`` an answer that nobody asked for before, ``again`` the
median of the next ones with the clock put forward, so that no answer is the one before.
"""

from __future__ import annotations

import json
import statistics
import subprocess
import sys
import tempfile
import time
from collections.abc import Iterator, Sequence
from contextlib import contextmanager
from pathlib import Path
from typing import cast

import numpy as np
import polars as pl
import psutil
from tests.queries.builder import NOW as BUILT_NOW
from tests.queries.builder import Built

from benchmarks.diagnosis import NOW, copied
from benchmarks.many_servers import answer_s, running
from hardy_gauge.api.app import create_app
from hardy_gauge.cli.running import HOURS
from hardy_gauge.core.time.span import HOUR_US, MINUTE_US, SECOND_US, Span
from hardy_gauge.diagnose.scenario_play import Clock, recorded
from hardy_gauge.queries.reader import Reader
from hardy_gauge.settings import AppSettings
from hardy_gauge.store import hour_files
from hardy_gauge.store.database import Store
from hardy_gauge.store.models import Statement
from practice_fleet.scenario.document import Scenario
from practice_fleet.scenario.reading import load_scenario, shipped

SIZES = {"servers": (10, 100, 1000), "days": (1, 7, 35), "statements": (100, 1000, 10_000)}
ROUTES = (
    "fleet",
    "servers/desk-a",
    "ledger?scope=desk-a",
    "ledger",
    "statements?scope=desk-a",
    "statements",
    "findings",
)
ROUNDS, STATEMENT_HOURS = 4, 6


def measure() -> dict[str, float]:
    found: dict[str, float] = {}
    for axis, sizes in SIZES.items():
        for size in sizes:
            command = [sys.executable, "-m", "benchmarks.growth", axis, str(size)]
            said = subprocess.run(command, check=True, capture_output=True, text=True).stdout.splitlines()[-1]
            found |= {f"{size} {axis}: {figure}": value for figure, value in json.loads(said).items()}
    return found


def of_size(axis: str, size: int) -> dict[str, float]:
    """The figures of one size."""
    with tempfile.TemporaryDirectory(ignore_cleanup_errors=True) as name:
        folder = Path(name)
        made = _statements(folder, size) if axis == "statements" else _practice(folder, axis, size)
        with made as reader:
            return _asked(reader, folder)


@contextmanager
def _practice(folder: Path, axis: str, size: int) -> Iterator[Reader]:
    """Ten servers of a day under more names, or the demo's 22 with so many days."""
    scenario = load_scenario(shipped("quillhaven"))
    days = float(size) if axis == "days" else 1.0
    document = scenario.model_dump() | {
        "history_days": days,
        "sample_history_days": min(days, scenario.sample_history_days),
    }
    scenario = Scenario.model_validate(document)
    names = [server.name for cluster in scenario.clusters for server in cluster.servers]
    with recorded(scenario, folder, NOW, names if axis == "days" else names[:10]) as reader:
        if axis == "servers":
            copied(reader.store, size)
        yield reader


@contextmanager
def _statements(folder: Path, count: int) -> Iterator[Reader]:
    """A server that counted so many statements each minute for some hours, a tenth of them in any one minute."""
    built = Built(Store(folder / "store.db"))
    server = built.server("desk-a", "desk")
    with built.store.write() as session:
        rows = [
            Statement(fingerprint=f"f{n}", text=f"SELECT {n} FROM loan", kind="select", first_seen_us=1)
            for n in range(count)
        ]
        session.add_all(rows)
        session.flush()
        ids = np.array([row.id for row in rows], dtype=np.int32)
    chance, since = np.random.default_rng(1), BUILT_NOW - STATEMENT_HOURS * HOUR_US
    for hour in range(since, BUILT_NOW, HOUR_US):
        at = np.repeat(np.arange(hour, hour + HOUR_US, MINUTE_US), max(count // 10, 1))
        calls = chance.pareto(1.2, len(at)) * 10 + 1
        built.rows(server, "statement", pl.DataFrame({
            "at_us": at, "span_s": 60.0, "calls": calls, "time_s": calls * 0.002, "rows_returned": calls, "rows_examined": 5 * calls,
            "user": "u", "service": "s", "database": "d", "plan_key": "p", "statement": chance.choice(ids, len(at)),
        }))  # fmt: skip
    built.minutes(server, since, BUILT_NOW, 2.0)
    built.sessions(server, Span(BUILT_NOW - HOUR_US, BUILT_NOW), 2, int(ids[0]))
    yield Reader(built.store, Clock(BUILT_NOW))
    built.store.close()


def _asked(reader: Reader, folder: Path) -> dict[str, float]:
    hour_files.use(hour_files.HourFiles(folder / HOURS))
    clock, began = cast(Clock, reader.clock), time.monotonic()
    settings = AppSettings(data=folder, demo=True, web=Path("/nowhere"))
    with running(create_app(settings, reader.store, clock=clock)) as client:
        found = {"learnt, s": time.monotonic() - began}
        for route in ROUTES:
            times = []
            for _ in range(ROUNDS):
                clock.us += 3 * SECOND_US
                times.append(answer_s(client, route))
            found |= {f"{route} first, s": times[0], f"{route} again, s": statistics.median(times[1:])}
    stored = sum(path.stat().st_size for path in folder.glob("*.db*"))
    return found | {"memory, MB": psutil.Process().memory_info().rss / 1e6, "stored, MB": stored / 1e6}


def main(given: Sequence[str]) -> None:
    axis, size = given
    print(json.dumps(of_size(axis, int(size))))


if __name__ == "__main__":
    main(sys.argv[1:])
