"""What a run of a trial is, where it takes place, its figures, and the comparison of arms with its verdict."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import asdict, dataclass, field
from typing import Any, Protocol, runtime_checkable

import numpy as np
import polars as pl

from hardy_gauge.core.narrative.trial_kinds import too_few_sentence
from hardy_gauge.core.narrative.trials import family_words, interval_words
from hardy_gauge.core.trials.compare import Interval, Ratio, family_level, mean_interval, paired_ratio
from hardy_gauge.core.trials.design import PlannedRun
from hardy_gauge.core.trials.figures import METRICS, run_figures, warm_after
from hardy_gauge.core.trials.live_run import LiveRun
from hardy_gauge.core.trials.query_set import QueryRun, query_runs
from hardy_gauge.core.trials.run_detail import RunDetail, run_detail
from hardy_gauge.core.trials.soundness import Checked, soundness
from hardy_gauge.core.trials.verdict import Goal, Guardrail, judge, outcome
from hardy_gauge.load.design import TrialDesign
from hardy_gauge.load.parts import ArmSpec

PlanDocument = dict[str, Any]


@dataclass(frozen=True)
class Observed:
    """What was seen of a run beside its executions: active sessions by wait family, where sessions are looked at; settings as the server
    itself told them; the plan of each statement in its order (``plan_document``), None where there is none; the workload's checks; what is to be known of the data.
    """

    families: dict[str, float] = field(default_factory=dict)
    settings: dict[str, str] = field(default_factory=dict)
    plans: Sequence[PlanDocument | None] = ()
    checks: Sequence[Checked] = ()
    cautions: Sequence[str] = ()


class RunTarget(Protocol):
    """Where the runs of a trial take place."""

    reports_waits: bool

    def admit(self, arm: ArmSpec) -> None:
        """Let an arm run that was not known when the target was opened, and changes settings alone; BadTrial where it cannot be."""

    def run(self, arm: ArmSpec, seconds: float, seed: int, progress: Callable[[float], bool]) -> pl.DataFrame: ...

    def live(self) -> LiveRun | None:
        """The run that goes on, as far as it is told meanwhile; None between two runs."""

    def observed(self) -> Observed:
        """Of the last run."""

    def close(self) -> None: ...


@runtime_checkable
class StagedTarget(Protocol):
    """Where changes can be made while the load runs."""

    def check_steps(self, steps: Sequence[ArmSpec]) -> None:
        """BadTrial where one of them cannot be made so."""

    def run_stages(
        self, steps: Sequence[ArmSpec], seconds: float, seed: int, progress: Callable[[float], bool]
    ) -> list[tuple[pl.DataFrame, Observed]]:
        """Executions and what was seen before the first of the steps and after each; empty where it was stopped."""


@dataclass(frozen=True)
class Attempt:
    """Of a run of a tuner: what was tried, and the ratio to the control that was expected of it with its interval. ``failed`` says why it could not run."""

    settings: dict[str, Any]
    expected: float | None = None
    low: float | None = None
    high: float | None = None
    failed: str = ""


@dataclass
class RunResult:
    """Figures of one run, of the goal's statement (``goal``) and of all statements (``all``). ``plans`` has the first run of an arm;
    ``ended`` counts the executions of each statement that did not fail.
    """

    planned: PlannedRun
    warm_s: float
    goal: dict[str, float]
    all: dict[str, float]
    families: dict[str, float] = field(default_factory=dict)
    failed: int = 0
    settings: dict[str, str] = field(default_factory=dict)
    plans: list[PlanDocument | None] = field(default_factory=list)
    queries: list[QueryRun] = field(default_factory=list)
    tried: Attempt | None = None
    checks: list[Checked] = field(default_factory=list)
    ended: list[int] = field(default_factory=list)
    cautions: list[str] = field(default_factory=list)
    detail: RunDetail | None = None

    def as_dict(self) -> dict[str, Any]:
        return asdict(self)

    def take(self, seen: Observed, before: Sequence[RunResult]) -> None:
        """What was seen of it, after the runs ``before``."""
        self.families = seen.families or self.families
        self.settings, self.checks, self.cautions = seen.settings, list(seen.checks), list(seen.cautions)
        if all(run.planned.arm != self.planned.arm for run in before):
            self.plans = list(seen.plans)


OnRun = Callable[[RunResult, pl.DataFrame], None]


class Stopped(Exception):
    """The trial was stopped by its user; runs that ended are kept."""


def measure(design: TrialDesign, planned: PlannedRun, frame: pl.DataFrame) -> RunResult:
    """The figures of a run after its warm-up; failed executions are counted apart. Of queries the first execution of each, and no warm-up."""
    every, failed, queries = (
        frame,
        0,
        query_runs(frame, len(design.workload.statements)) if design.kind == "queries" else [],
    )
    if "failed" in frame.columns:
        failed = int(frame["failed"].sum())
        frame = frame.filter(~pl.col("failed"))
    counts = np.bincount(frame["statement"].to_numpy(), minlength=len(design.workload.statements))
    seconds = design.run.seconds
    if queries:  # it ended when all were through
        seconds = max(
            (start + took for start, took in frame.select("start_s", "duration_s").iter_rows()), default=seconds
        )
    warm = warm_after(frame, seconds) if design.kind != "queries" else 0.0
    families = {
        column.removeprefix("family."): float(frame.filter(pl.col("start_s") >= warm)[column].sum()) / (seconds - warm)
        for column in frame.columns
        if column.startswith("family.")
    }
    return RunResult(
        planned, warm, run_figures(frame, seconds, design.goal.statement, warm),
        run_figures(frame, seconds, None, warm), families, failed, queries=queries, ended=[int(one) for one in counts],
        detail=run_detail(every, seconds, len(design.workload.statements), design.goal.statement, warm),
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
    level = family_level(len(names) - 1)
    verdicts = [_candidate(design, by_arm[names[0]], by_arm[name], name, level) for name in names[1:]]
    sound = soundness(
        [(run.planned.arm, run.checks, run.ended) for run in results],
        [(one.name or f"statement {number}", one.least_share) for number, one in enumerate(design.workload.statements)],
    )
    return {
        "blocks": len(blocks), "arms": arms, "candidates": verdicts,
        "cautions": [*sound.cautions, *design.cautions(), *dict.fromkeys(one for run in results for one in run.cautions)],
        "notes": family_words(len(names) - 1, level), "checks": [asdict(one) for one in sound.checks], "mix": [asdict(one) for one in sound.mix],
    }  # fmt: skip


def _figures(runs: list[RunResult], of: str, metric: str) -> list[float]:
    return [getattr(run, of)[metric] for run in runs if metric in getattr(run, of)]


def _candidate(
    design: TrialDesign, control: list[RunResult], runs: list[RunResult], name: str, level: float
) -> dict[str, Any]:
    ratios: dict[str, dict[str, Ratio]] = {"goal": {}, "all": {}}
    for of in ratios:
        for metric in METRICS:
            a, b = _figures(control, of, metric), _figures(runs, of, metric)
            if len(a) == len(b) == len(control) and len(a) > 1 and min(*a, *b) > 0:
                ratios[of][metric] = paired_ratio(a, b, level)
    goal = Goal(design.goal.metric, design.goal.value)
    out: dict[str, Any] = {
        "arm": name,
        "interval": interval_words(level),
        "ratios": {
            of: {m: asdict(r) | {"outcome": outcome(m, r)} for m, r in found.items()} for of, found in ratios.items()
        },
    }
    guardrails = [Guardrail(g.metric, g.worsen_at_most) for g in design.guardrails]
    if goal.metric not in ratios["goal"] or any(g.metric not in ratios["all"] for g in guardrails):
        sentence = too_few_sentence(len(control))
        return out | {"outcome": "cannot tell", "goal": "open", "guardrails_broken": [], "sentence": sentence}
    interval: Interval = mean_interval(_figures(runs, "goal", goal.metric))
    merged = {**ratios["all"], goal.metric: ratios["goal"][goal.metric]}
    verdict = judge(goal, interval, merged, guardrails, name)
    return out | {
        "outcome": verdict.outcome, "goal": verdict.goal_met, "guardrails_broken": verdict.guardrails_broken,
        "sentence": verdict.sentence,
    }  # fmt: skip
