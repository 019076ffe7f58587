"""A run while it goes on: what is told by second is what its executions say at the end, wherever it runs."""

from __future__ import annotations

import json
import os
import random
import time
from dataclasses import asdict
from pathlib import Path
from typing import Any

import numpy as np
import polars as pl
import pytest
import yaml

from hardy_gauge.core.trials.detail_sheet import arm_places
from hardy_gauge.core.trials.live_run import MOST_S, LiveRun, live_sheet
from hardy_gauge.core.trials.run_detail import run_detail
from hardy_gauge.load.design import read_design
from hardy_gauge.load.executions import executions_of
from hardy_gauge.load.live_seconds import LiveSeconds, counts_at
from hardy_gauge.load.pacing import Pace
from hardy_gauge.load.second_counts import MOST_S as COUNTED_S
from hardy_gauge.load.second_counts import SecondCounts, shared_counts
from hardy_gauge.load.targets import open_target
from hardy_gauge.load.worker_loop import work_through
from tests.load.test_trials import PLAYED

ROOT = Path(__file__).parents[2]
ASKED: dict[str, Any] = {
    "seed": 7, "seconds": 3.2, "pace": asdict(Pace(0.0, "fixed", 0.0, "weight")), "statements": [{"weight": 1, "parameters": []}, {"weight": 2, "parameters": []}],
}  # fmt: skip


def by_second(frame: pl.DataFrame, seconds: float) -> tuple[list[int], list[int], list[float | None]]:
    detail = run_detail(frame, seconds, 2, None, 0.0)
    return list(detail.ended), list(detail.failed), list(detail.mean_s)


@pytest.mark.parametrize("longest_s", [0.0001, 0.03, 0.4])
def test_what_a_worker_tells_is_what_it_did(longest_s: float) -> None:
    """Every whole second exactly, for executions that are much shorter than a look and much longer."""
    chance, counts = random.Random(3), shared_counts(2)

    def execute(which: int, _: list[Any]) -> bool:
        time.sleep(chance.uniform(0, longest_s))
        return which == 0 or chance.random() < 0.8

    rows = work_through(ASKED | {"counts": counts}, 1, execute, lambda: False)
    told = counts_at(counts, 2)(0, 3)
    ended, failed, mean = by_second(executions_of([rows.packed()]), 3.2)
    assert told[:, 0].tolist() == ended and told[:, 1].tolist() == failed and sum(failed) > 0
    assert told[:, 2] == pytest.approx([one * count for one, count in zip(mean, ended, strict=True)])
    os.close(counts)


def test_counts_are_summed_over_workers_and_nothing_is_lost_at_the_ends() -> None:
    counts = shared_counts(3)
    for worker in range(3):
        one = SecondCounts(counts, worker)
        one.add(0, [0.5, 0.25], [0, 1])
        one.add(COUNTED_S - 1, [2.0], [0])
        one.add(COUNTED_S, [2.0], [0])  # beyond what is counted
    read = counts_at(counts, 3)
    assert read(0, 2).tolist() == [[3, 3, 1.5], [0, 0, 0]]
    assert read(COUNTED_S - 1, COUNTED_S).tolist() == [[3, 0, 6.0]]
    os.close(counts)


@pytest.mark.parametrize("kind", ["nothing", "link", "pipe", "short", "nonsense"])
def test_a_file_of_a_sandbox_that_holds_no_counts_tells_none(tmp_path: Path, kind: str) -> None:
    place = tmp_path / "counts"
    if kind == "link":
        (tmp_path / "elsewhere").write_bytes(np.ones(300).tobytes())
        place.symlink_to(tmp_path / "elsewhere")
    elif kind == "pipe":
        os.mkfifo(place)
    elif kind == "short":
        place.write_bytes(b"12")
    elif kind == "nonsense":
        place.write_bytes(np.array([np.nan, np.inf, -4.0] * 9).tobytes())
    assert counts_at(place, 1)(0, 4).tolist() == [[0.0] * 3] * 4


def test_waits_are_means_of_the_looks_of_a_second_and_only_the_last_of_many_are_told() -> None:
    live = LiveSeconds(lambda since, until: np.zeros((until - since, 3)), here=False)
    for done_s, sessions in ((0.1, 2.0), (0.9, 4.0), (1.5, 1.0), (2.2, 9.0)):
        live.look(done_s, {"row lock": sessions} if done_s != 1.5 else {"processor": sessions})
    told = live.told("control", 20.0)
    assert told.families == {"row lock": [3.0, 0.0], "processor": [0.0, 1.0]}
    assert told.mean_s == [None, None] and told.host == {}
    live.look(4.1, {"row lock": 1.0})
    assert live.told("control", 20.0).families["row lock"] == [3.0, 0.0, 9.0, None], (
        "a second without a look is not known"
    )
    live.look(MOST_S + 50.0, {})
    long = live.told("control", 1000.0)
    assert (long.since_s, len(long.ended), long.families) == (50, MOST_S, {})


TARGETS: dict[str, dict[str, Any]] = {
    "sqlite": yaml.safe_load((ROOT / "examples/compare.yaml").read_text()),
    "postgresql": yaml.safe_load((ROOT / "examples/compare-postgresql.yaml").read_text()),
    "practice": PLAYED,
}


@pytest.mark.timeout(300)
@pytest.mark.parametrize(
    "where", [pytest.param(one, marks=[pytest.mark.postgres] * (one == "postgresql")) for one in TARGETS]
)
def test_the_seconds_told_meanwhile_are_those_of_the_executions(where: str, request: pytest.FixtureRequest) -> None:
    document = json.loads(json.dumps(TARGETS[where]))
    if where == "practice":
        document["target"]["address"] = f"{request.getfixturevalue('practice')}/servers/lab-a"
    design = read_design(document)
    target, seen = open_target(design, None), list[LiveRun]()
    seconds = 4.5 if where != "practice" else 120.0  # simulated

    def progress(_: float) -> bool:
        if (live := target.live()) is not None:
            seen.append(live)
        return True

    try:
        assert target.live() is None
        frame = target.run(design.arms[1], seconds, 3, progress)
        assert target.live() is None
    finally:
        target.close()
    if "failed" not in frame.columns:
        frame = frame.with_columns(failed=pl.lit(False))
    last = seen[-1]
    ended, failed, mean = by_second(frame, seconds)
    told = len(last.ended)
    assert last.arm == design.arms[1].name and told >= 3
    assert len({len(one.ended) for one in seen}) > 1, "it is told while it runs"
    # a worker that waits within a statement tells what it did just before that when it is through
    assert all(
        few <= all_ for few, all_ in zip([*last.ended, *last.failed], [*ended[:told], *failed[:told]], strict=True)
    )
    assert sum(last.ended) > 0.8 * sum(ended[:told])
    assert [one for one in last.mean_s if one] and all(one is None or one > 0 for one in last.mean_s)
    if where == "practice":  # by events: nothing is on its way
        assert (list(last.ended), list(last.failed)) == (ended[:told], failed[:told])
        assert list(last.mean_s) == pytest.approx(mean[:told])
        assert all(values[0] is None and None not in values[1:] for values in last.families.values()), (
            "the first look is after a second"
        )
    assert bool(last.families) == target.reports_waits
    assert all(0 <= share <= 1.05 for share in last.host["processor"] if share is not None)
    sheet = live_sheet(
        json.loads(json.dumps(last.__dict__)), 3, arm_places({"arms": [{"name": one.name} for one in design.arms]})
    )
    assert sheet.place == 1
    assert sheet.sentence == f"Run 3 goes on: {last.arm}, second {len(last.ended)} of {seconds:g}."
    titles = [picture.title for picture in sheet.pictures]
    assert titles[:3] == ["executions that ended", "mean duration", "executions that failed"]
    assert ("active sessions by wait family" in titles) == target.reports_waits and "processor busy" in titles
