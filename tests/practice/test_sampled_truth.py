"""Looking each second against what is known: a run by events knows how long every execution spent on what.

From the samples of the same run the ledger makes its intervals; they hold the truth at least 93 times in 100.
"""

from __future__ import annotations

import polars as pl
import pytest

from hardy_gauge.core.activity.ledger import entries
from hardy_gauge.probes.protocol import Arrival
from practice_fleet.events.run import Run
from practice_fleet.physics.wait_events import EVENTS, Limits
from tests.practice.test_queueing import host, visits

SECONDS = 120
RUNS = 20
MIX = [
    visits(processor_s=0.004, client_s=0.002),
    visits(processor_s=0.002, random_reads=3.0, client_s=0.001),
    visits(processor_s=0.001, log_s=0.012, log_bytes=400, commits=True, hot_rows=1),
]


@pytest.mark.parametrize(
    "arrival",
    [Arrival(kind="open", rate_per_s=60), Arrival(kind="closed", workers=6, think_s=0.05, think="exponential")],
    ids=["open", "closed"],
)
def test_margins_of_a_run_hold_what_its_executions_spent(arrival: Arrival) -> None:
    held, checked = 0, []
    for seed in range(RUNS):
        run = Run(host(2, channels=2, latency_s=0.004), MIX, [5, 3, 2], arrival, Limits(1000), seed=seed)
        result = run.play(SECONDS)
        seen = result.samples.with_columns(at_us=pl.col("tick_s") * 1_000_000)
        rows = {row["wait_event"]: row for row in entries(seen, ["wait_event"], SECONDS).iter_rows(named=True)}
        for event in EVENTS:
            truth = float(result.executions[f"wait.{event}"].sum()) / SECONDS
            if truth * SECONDS < 0.5:
                continue
            # nothing seen: the upper end for a Poisson count of none
            low, high = (rows[event]["low"], rows[event]["high"]) if event in rows else (0.0, 3.69 / SECONDS)
            held += low <= truth <= high
            checked.append(event)
    assert {"running", "page_read", "log_flush", "row_lock"} <= set(checked) and len(checked) >= 4 * RUNS
    assert held / len(checked) >= 0.93, f"{held} of {len(checked)}"
    print(f"{arrival.kind}: {held} of {len(checked)}")
