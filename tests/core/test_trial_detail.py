"""The executions of a run by statement, by duration and by second: against numpy on the same executions, and by hand."""

from __future__ import annotations

from dataclasses import asdict
from typing import Any

import numpy as np
import polars as pl
import pytest

from hardy_gauge.core.trials.detail_sheet import trial_detail
from hardy_gauge.core.trials.run_detail import bin_end, run_detail

SECONDS, WARM = 20.0, 3.0


def executions(seed: int, faster: float = 1.0, count: int = 6000) -> pl.DataFrame:
    draw = np.random.default_rng(seed)
    return pl.DataFrame(
        {
            "start_s": np.sort(draw.uniform(0, SECONDS, count)), "duration_s": draw.lognormal(-5, 1, count) / faster,
            "statement": draw.integers(0, 2, count), "failed": draw.random(count) < 0.02,
        }
    )  # fmt: skip


def test_each_statement_as_numpy_tells_it() -> None:
    frame = executions(1)
    found = run_detail(frame, SECONDS, 3, 0, WARM)
    end = frame["start_s"] + frame["duration_s"]
    warm = frame.filter((end > WARM) & (end <= SECONDS))
    for number in (0, 1):
        mine = warm.filter(pl.col("statement") == number)
        good = mine.filter(~pl.col("failed"))["duration_s"].to_numpy()
        told = found.statements[number]
        assert (told.ended, told.failed) == (len(good), int(mine["failed"].sum())) and told.failed > 20
        expected = [good.min(), good.mean(), good.max(), *np.quantile(good, [0.5, 0.95, 0.99])]
        assert [told.least, told.mean, told.greatest, told.p50, told.p95, told.p99] == pytest.approx(expected)
    nothing = found.statements[2]
    assert (nothing.ended, nothing.failed, nothing.mean) == (0, 0, None)
    good = warm.filter(~pl.col("failed"), pl.col("statement") == 0)["duration_s"].to_numpy()
    assert sum(count for _, count in found.bins) == len(good)
    for number, count in found.bins:
        assert count == int(((good <= bin_end(number)) & (good > bin_end(number - 1))).sum()), (
            "no execution lies in another bin"
        )
    second = np.floor(end.to_numpy())
    for at in range(20):
        mine = frame.filter(pl.Series(second == at))
        assert found.ended[at] == int((~mine["failed"]).sum()) and found.failed[at] == int(mine["failed"].sum())
        assert found.mean_s[at] == pytest.approx(mine.filter(~pl.col("failed"))["duration_s"].mean())
    assert len(found.ended) == 20


def test_a_second_without_an_end_and_a_run_without_any() -> None:
    frame = pl.DataFrame({"start_s": [0.1, 2.2], "duration_s": [0.2, 0.3], "statement": [0, 0]})
    found = run_detail(frame, 3.5, 1, None, 0.0)
    assert (found.ended, found.failed) == ([1, 0, 1], [0, 0, 0]) and found.mean_s == [
        pytest.approx(0.2),
        None,
        pytest.approx(0.3),
    ]
    empty = run_detail(frame.clear(), 2.0, 1, None, 0.0)
    assert empty.statements[0].ended == 0 and list(empty.bins) == [] and empty.ended == [0, 0]


def runs(faster: float) -> list[tuple[str, int, dict[str, Any] | None]]:
    found: list[tuple[str, int, dict[str, Any] | None]] = []
    for block in range(4):
        for arm, by in (("control", 1.0), ("candidate", faster)):
            found.append((arm, block, asdict(run_detail(executions(10 * block, by), SECONDS, 2, None, WARM))))
    return found


DESIGN = {
    "arms": [{"name": "control"}, {"name": "candidate"}],
    "workload": {"statements": [{"sql": "SELECT  1\n FROM loan"}, {"name": "lend", "steps": [{"sql": "UPDATE copy"}]}]},
}


def test_arms_beside_each_other() -> None:
    found = trial_detail(DESIGN, runs(2.0))
    assert found is not None
    assert found.of == "all statements"
    of_goal = trial_detail(DESIGN | {"goal": {"metric": "p95", "statement": 1}}, runs(2.0))
    assert of_goal is not None and of_goal.of == "statement 1, which the goal is of"
    rows = {(one.statement, one.arm): one for one in found.statements}
    assert {one.name for one in found.statements} == {"SELECT 1 FROM loan", "lend"}
    first, second = rows[0, "control"], rows[0, "candidate"]
    assert first.ratio is None and second.ratio == pytest.approx(0.5, abs=0.02) and second.said == "better"
    assert first.ended == sum(
        detail["statements"][0]["ended"] for arm, _, detail in runs(2.0) if arm == "control" and detail
    )
    control, candidate = found.arms
    assert (control.durations[0].share, control.durations[-1].share) == (0.0, pytest.approx(1.0))
    half = [next(one.s for one in arm.durations if one.share >= 0.5) for arm in (control, candidate)]
    assert half[0] == pytest.approx(np.exp(-5), rel=0.08) and half[0] / half[1] == pytest.approx(2, rel=0.08), (
        "bins are 6% wide"
    )
    assert len(control.ended) == 20 and np.mean(control.ended) == pytest.approx(6000 * 0.98 / 20, rel=0.02)


def test_alike_worse_and_unknown() -> None:
    alike = trial_detail(DESIGN, runs(1.0))
    slower = trial_detail(DESIGN, runs(0.5))
    assert alike is not None and slower is not None
    assert {one.said for one in alike.statements if one.arm == "candidate"} == {"no difference shown"}
    assert {one.said for one in slower.statements if one.arm == "candidate"} == {"worse"}
    turned = trial_detail(DESIGN, list(reversed(runs(1.0))))
    assert turned is not None and [one.arm for one in turned.arms] == ["control", "candidate"], "whichever ran first"
    begun = trial_detail(DESIGN, [("control", 0, None), *runs(1.0)[:2]])
    assert begun is not None and [one.ratio for one in begun.statements] == [None] * 4, "one block has no interval"
    search = [(f"attempt {number}", -1, detail) for number, (_, _, detail) in enumerate(runs(1.0))]
    assert trial_detail(DESIGN, search) is None, "attempts have their own picture"
    assert trial_detail(DESIGN, [("control", 0, None)]) is None, "trials of before kept nothing of it"
