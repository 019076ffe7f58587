"""Whatever comes: no more sessions than there may be, no more memory than a process may take, and the demo's worst server first."""

from __future__ import annotations

import subprocess
import sys

import polars as pl
import pytest

from practice_fleet import frames
from practice_fleet.fleet import Fleet
from practice_fleet.history import History
from practice_fleet.scenario.document import Scenario
from practice_fleet.scenario.reading import load_scenario, shipped
from practice_fleet.server import HOUR_US, MINUTE_US
from tests.conftest import length
from tests.practice.shelf import NOW

DAY_US = 24 * HOUR_US
OVERLOAD = """
from pathlib import Path
from practice_fleet import frames
from practice_fleet.fleet import Fleet
from practice_fleet.history import History
from practice_fleet.scenario.document import Scenario
from tests.practice.shelf import NOW, document
made = Scenario.model_validate(document(statement__find_book__rate=50_000, statement__count_reading__rate=20_000))
history = Fleet(made, NOW).histories["shelf-a"]
seen = frames.sample_frame(history, NOW, NOW + 3_600_000_000)
assert seen.group_by("at_us").len()["len"].max() <= 100, "sessions"
frames.execution_frame(history, NOW, NOW + 600_000_000, 0.1)
status = dict(line.split(":", 1) for line in Path("/proc/self/status").read_text().splitlines())
print(int(status["VmHWM"].split()[0]) * 1024)  # of this program alone: getrusage's carries what its parent had at the fork
"""


@pytest.mark.parametrize("name", ["quillhaven", "bookshelf", "ring"])
def test_no_shipped_server_has_more_sessions_than_its_limit(name: str) -> None:
    fleet = Fleet(load_scenario(shipped(name)), NOW)
    for history in fleet.histories.values():
        seen = frames.sample_frame(history, NOW + 4 * HOUR_US, NOW + 4 * HOUR_US + 3 * MINUTE_US)
        limit = float(history.server.state(NOW + 4 * HOUR_US).settings["max_sessions"])
        if len(seen):
            by_second = seen.group_by("at_us").agg(pl.len(), pl.col("session").n_unique().alias("different"))
            assert by_second["len"].max() <= limit and (by_second["len"] == by_second["different"]).all()  # type: ignore[operator]
            assert seen["session"].min() >= 1 and seen["session"].max() <= limit  # type: ignore[operator]


def test_an_overload_takes_less_than_a_gigabyte() -> None:
    done = subprocess.run([sys.executable, "-c", OVERLOAD], capture_output=True, text=True, timeout=200)
    assert done.returncode == 0, done.stderr
    assert float(done.stdout) < 1e9


MORE = 1.5  # times a week ago, with a tenth of a session on both sides: at night there is little to multiply


def load(history: History, until_us: int) -> float:
    """Active sessions over five minutes; 0 while it is down."""
    frame = frames.metric_frame(history, until_us - 5 * MINUTE_US, until_us)
    return float(frame["time_s"].sum()) / 300 if "time_s" in frame.columns else 0.0


@pytest.mark.timeout(3600)
def test_the_worst_server_of_the_demo_is_the_same_at_every_hour(scenario: Scenario) -> None:
    """Hours of a week, thirty-seven apart, which fall on five days and at all times of day; all of them under `make truth`. A server's load is
    compared with a week ago, where it was up then.
    """
    for hour in range(0, 168, int(length(1, 37))):
        anchor = NOW + hour * HOUR_US
        fleet = Fleet(scenario, anchor)
        ratios = {
            name: (load(history, anchor) + 0.1) / (before + 0.1)
            for name, history in fleet.histories.items()
            if (before := load(history, anchor - 7 * DAY_US)) > 0
        }
        assert max(ratios, key=lambda name: ratios[name]) in ("desk-a", "desk-b"), (hour, ratios)
        assert ratios["desk-a"] > MORE, (hour, ratios)
