"""Run a trial: interleaved runs, figures of each, then the comparison and the verdict."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import asdict, dataclass, field
from typing import Any, Protocol

import polars as pl

from hardy_gauge.core.trials.compare import Interval, Ratio, mean_interval, paired_ratio
from hardy_gauge.core.trials.design import PlannedRun, interleave
from hardy_gauge.core.trials.figures import METRICS, run_figures, warm_after
from hardy_gauge.core.trials.verdict import Goal, Guardrail, judge, outcome
from hardy_gauge.load.design import ArmSpec, TrialDesign


@dataclass(frozen=True)
class Observed:
    """What was seen of a run beside its executions: active sessions by wait family, and settings as the server itself told them."""

    families: dict[str, float]
    settings: dict[str, str]


class RunTarget(Protocol):
    """Where the runs of a trial take place."""

    reports_waits: bool

    def run(self, arm: ArmSpec, seconds: float, seed: int, progress: Callable[[float], bool]) -> pl.DataFrame: ...

    def observed(self) -> Observed | None:
        """Of the last run; None where nothing is seen beside executions."""

    def close(self) -> None: ...


@dataclass
class RunResult:
    """Figures of one run, of the goal's statement (``goal``) and of all statements (``all``)."""

    planned: PlannedRun
    warm_s: float
    goal: dict[str, float]
    all: dict[str, float]
    families: dict[str, float] = field(default_factory=dict)
    failed: int = 0
    settings: dict[str, str] = field(default_factory=dict)

    def as_dict(self) -> dict[str, Any]:
        return asdict(self)


class Stopped(Exception):
    """The trial was stopped by its user; runs that ended are kept."""


def play_trial(
    design: TrialDesign, target: RunTarget, on_run: Callable[[RunResult], None], progress: Callable[[float], bool],
    enough: Callable[[list[RunResult]], bool] = lambda _: False,
) -> list[RunResult]:  # fmt: skip
    """All runs in interleaved order; ``progress`` gets the share done and returns False to stop (Stopped). ``enough`` is asked after every
    block whether more are needed.
    """
    arms = {arm.name: arm for arm in design.arms}
    plan = interleave(list(arms), design.run.blocks, design.run.seed)
    results: list[RunResult] = []
    seconds = design.run.seconds
    for planned in plan:

        def report(done_s: float, number: int = planned.number) -> bool:
            return progress((number + min(done_s / seconds, 1.0)) / len(plan))

        if not progress(planned.number / len(plan)):
            raise Stopped
        frame = target.run(arms[planned.arm], seconds, planned.seed, report)
        if not progress((planned.number + 1) / len(plan)):
            raise Stopped
        result = measure(design, planned, frame)
        seen = target.observed()
        if seen is not None:
            result.families, result.settings = seen.families, seen.settings
        results.append(result)
        on_run(result)
        if len(results) % len(arms) == 0 and enough(results):
            break
    return results


def measure(design: TrialDesign, planned: PlannedRun, frame: pl.DataFrame) -> RunResult:
    """The figures of a run after its warm-up; failed executions are counted apart."""
    failed = 0
    if "failed" in frame.columns:
        failed = int(frame["failed"].sum())
        frame = frame.filter(~pl.col("failed"))
    seconds = design.run.seconds
    warm = warm_after(frame, seconds)
    families = {
        column.removeprefix("family."): float(frame.filter(pl.col("start_s") >= warm)[column].sum()) / (seconds - warm)
        for column in frame.columns
        if column.startswith("family.")
    }
    return RunResult(
        planned, warm, run_figures(frame, seconds, design.goal.statement, warm),
        run_figures(frame, seconds, None, warm), families, failed,
    )  # fmt: skip


def evaluate(design: TrialDesign, results: list[RunResult]) -> dict[str, Any]:
    """Arms with their intervals, ratios of every candidate to the control, and the verdicts.

    Only blocks in which every arm has run count.
    """
    names = [arm.name for arm in design.arms]
    blocks = [b for b in range(design.run.blocks) if sum(r.planned.block == b for r in results) == len(names)]
    by_arm = {n: [r for b in blocks for r in results if r.planned.arm == n and r.planned.block == b] for n in names}
    arms = []
    for name in names:
        runs = by_arm[name]
        families: dict[str, float] = {}
        for run in runs:
            for family, seconds in run.families.items():
                families[family] = families.get(family, 0.0) + seconds / len(runs)
        arms.append(
            {
                "arm": name,
                "runs": len(runs),
                "goal": {m: asdict(mean_interval(_figures(runs, "goal", m))) for m in METRICS},
                "all": {m: asdict(mean_interval(_figures(runs, "all", m))) for m in METRICS},
                "active_sessions": families,
                "settings_in_force": runs[-1].settings if runs else {},
                "failed": sum(run.failed for run in runs),
            }
        )
    verdicts = [_candidate(design, by_arm[names[0]], by_arm[name], name) for name in names[1:]]
    return {"blocks": len(blocks), "arms": arms, "candidates": verdicts, "cautions": design.cautions()}


def _figures(runs: list[RunResult], of: str, metric: str) -> list[float]:
    return [getattr(run, of)[metric] for run in runs if metric in getattr(run, of)]


def _candidate(design: TrialDesign, control: list[RunResult], runs: list[RunResult], name: str) -> dict[str, Any]:
    ratios: dict[str, dict[str, Ratio]] = {"goal": {}, "all": {}}
    for of in ratios:
        for metric in METRICS:
            a, b = _figures(control, of, metric), _figures(runs, of, metric)
            if len(a) == len(b) == len(control) and len(a) > 1 and min(*a, *b) > 0:
                ratios[of][metric] = paired_ratio(a, b)
    goal = Goal(design.goal.metric, design.goal.value)
    out: dict[str, Any] = {
        "arm": name,
        "ratios": {
            of: {m: asdict(r) | {"outcome": outcome(m, r)} for m, r in found.items()} for of, found in ratios.items()
        },
    }
    guardrails = [Guardrail(g.metric, g.worsen_at_most) for g in design.guardrails]
    if goal.metric not in ratios["goal"] or any(g.metric not in ratios["all"] for g in guardrails):
        too_few = "Too few executions ended in some runs to compare the arms; run longer or with more load."
        return out | {"outcome": "no difference shown", "goal": "open", "guardrails_broken": [], "sentence": too_few}
    interval: Interval = mean_interval(_figures(runs, "goal", goal.metric))
    merged = {**ratios["all"], goal.metric: ratios["goal"][goal.metric]}
    verdict = judge(goal, interval, merged, guardrails, name)
    return out | {
        "outcome": verdict.outcome, "goal": verdict.goal_met, "guardrails_broken": verdict.guardrails_broken,
        "sentence": verdict.sentence,
    }  # fmt: skip
