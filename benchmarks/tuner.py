"""The tuner against a full grid: of two settings on a practice server, how far what at most 20 runs find is from the best of 36.

Every place of the grid, and what the tuner finds, is measured with the same arrivals, which the search has not seen.
"""

from __future__ import annotations

import itertools
from collections.abc import Callable
from statistics import mean

import polars as pl

from benchmarks.goals import Goals, at_least
from hardy_gauge.errors import GaugeError
from hardy_gauge.load.design import TrialDesign, read_design
from hardy_gauge.load.kinds import outcome_of
from hardy_gauge.load.parts import ArmSpec
from hardy_gauge.load.trial import Observed
from hardy_gauge.load.tuning import play_search
from hardy_gauge.probes.protocol import PlayRequest, PlayStatement
from practice_fleet.fleet import Fleet
from practice_fleet.http_app import clock_us
from practice_fleet.plays import event_run
from practice_fleet.scenario.reading import load_scenario, shipped

MIB = 2**20
RANGES = {"buffer_cache_bytes": (16 * MIB, 2048 * MIB), "random_read_cost": (0.5, 60.0)}
STEPS, RUNS, SECONDS, SEEDS, SERVER = 6, 20, 1.5, (101, 102), "lab-a"
TEXTS = [
    ("SELECT id, patron_id, due_on, renewals FROM loan WHERE item_id = $1 AND returned_at IS NULL", 6),
    ("SELECT id, branch_id, shelf, state FROM item WHERE title_id = $1", 3),
    ("SELECT l.id, l.patron_id, p.display_name, p.notify_by FROM loan l JOIN patron p ON p.id = l.patron_id WHERE l.due_on = $1 AND l.branch_id = $2 ORDER BY l.patron_id LIMIT 50", 1),
]  # fmt: skip


class Simulated:
    """A practice server that plays in this process; a play over the protocol would start a process for each run."""

    reports_waits = False

    def __init__(self, stated: TrialDesign) -> None:
        self.now_us, self.arrival = clock_us(), stated.workload.arrival.protocol()
        self.history = Fleet(load_scenario(shipped()), self.now_us).histories[SERVER]
        self.texts = [PlayStatement(text=one.sql, weight=one.weight) for one in stated.workload.statements]

    def admit(self, arm: ArmSpec) -> None:
        """Every setting of the ranges is known there."""

    def run(self, arm: ArmSpec, seconds: float, seed: int, _: Callable[[float], bool]) -> pl.DataFrame:
        """GaugeError where the host kills the server."""
        at = self.now_us - 1
        on = self.history.server.trial_state(at, self.texts, dict(arm.settings), [], [], self.arrival)
        wanted = PlayRequest(statements=self.texts, arrival=self.arrival, seconds=seconds, seed=seed)
        if on.memory.killed:
            raise GaugeError(on.memory.killed_words)
        return event_run(on, wanted, self.history.at(at).foreign_pages_per_s).play(seconds).executions

    def live(self) -> None:
        """Nobody looks on."""

    def observed(self) -> Observed:
        return Observed()

    def close(self) -> None:
        """Nothing is held open."""


GOALS: Goals = {"found_of_grid": at_least(0.97)}


def design() -> TrialDesign:
    settings = [
        {"setting": name, "low": low, "high": high, "scale": "log", "whole": name.endswith("bytes")}
        for name, (low, high) in RANGES.items()
    ]
    return read_design({
        "kind": "tuner", "title": "grid", "goal": {"metric": "throughput", "at_least": "1 /s"}, "target": {"server": SERVER},
        "workload": {"arrival": {"kind": "closed", "workers": 24}, "statements": [{"sql": sql, "weight": weight} for sql, weight in TEXTS]},
        "tuner": {"runs": RUNS, "settings": settings}, "run": {"seconds": f"{SECONDS:g} s", "blocks": 2, "seed": 5},
    })  # fmt: skip


def measure() -> dict[str, float]:
    """``found_of_grid``: throughput of what was found ÷ that of the best place of the grid."""
    stated = design()
    target = Simulated(stated)

    def rate(settings: dict[str, float]) -> float:
        """Executions a second; none where the server does not live with them."""
        arm = ArmSpec(name="place", settings=settings)
        try:
            return mean(target.run(arm, SECONDS, seed, lambda _: True).height / SECONDS for seed in SEEDS)
        except GaugeError:
            return 0.0

    results = play_search(stated, target, lambda *_: None, lambda _: True)
    found = outcome_of(stated, results)["tuner"]["best"]["settings"]
    ends = [[low * (high / low) ** (n / (STEPS - 1)) for n in range(STEPS)] for low, high in RANGES.values()]
    grid = [
        rate({"buffer_cache_bytes": round(cache), "random_read_cost": cost}) for cache, cost in itertools.product(*ends)
    ]
    rates, mine = sorted(grid), rate(found)
    return {
        "found_of_grid": mine / rates[-1], "median_of_grid_of_best": rates[len(rates) // 2] / rates[-1], "worst_of_grid_of_best": rates[0] / rates[-1],
        "runs": float(RUNS), "found_per_s": mine, "best_per_s": rates[-1],
    }  # fmt: skip
