"""A search for settings: one attempt after another against a control that is run again and again, then the best one compared with it."""

from __future__ import annotations

import random
from collections.abc import Callable, Sequence
from typing import Any

import polars as pl

from hardy_gauge.core.trials.curve import ATTEMPT
from hardy_gauge.core.trials.design import PlannedRun, interleave
from hardy_gauge.core.trials.tuner import Measured, Tried, best_of, judged, ratio_noise, suggest
from hardy_gauge.core.trials.verdict import higher_is_better
from hardy_gauge.errors import GaugeError
from hardy_gauge.load.design import CONTROL, BadTrial, TrialDesign
from hardy_gauge.load.parts import ArmSpec
from hardy_gauge.load.trial import Attempt, OnRun, RunResult, RunTarget, Stopped, measure
from hardy_gauge.load.tuner_parts import CONTROL_EACH, TunerSpec

BEST = "best"
SEARCH = -1  # the block of runs that belong to the search


def play_search(
    design: TrialDesign, target: RunTarget, on_run: OnRun, progress: Callable[[float], bool]
) -> list[RunResult]:  # fmt: skip
    """Attempts, with the control before the first and after every third; then ``run.blocks`` blocks of control and best."""
    spec, results = _spec(design), list[RunResult]()
    runs, draw = design.most_runs(), random.Random(design.run.seed)

    def play(arm: ArmSpec, block: int, seed: int, attempt: Attempt | None) -> None:
        planned = PlannedRun(len(results), block, arm.name, seed)

        def report(done_s: float) -> bool:
            return progress((planned.number + min(done_s / design.run.seconds, 1.0)) / runs)

        if not progress(planned.number / runs):
            raise Stopped
        result, frame = _run(design, target, arm, planned, report, attempt, results)
        if not progress((planned.number + 1) / runs):
            raise Stopped
        results.append(result)
        on_run(result, frame)

    control = design.arms[0]
    for number in range(spec.runs):
        if number % CONTROL_EACH == 0:
            play(control, SEARCH, draw.randrange(2**31), None)
        asked = suggest(spec.space(), tried_of(design, results), design.run.seed, control_noise(design, results))
        attempt = Attempt(asked.settings, asked.expected, asked.low, asked.high)
        arm = ArmSpec(name=f"{ATTEMPT}{number + 1}", settings=asked.settings)
        play(arm, SEARCH, draw.randrange(2**31), attempt)
    best = best_of(spec.space(), tried_of(design, results), control_noise(design, results))
    if best is None:
        return results
    proven = ArmSpec(name=BEST, settings=dict(best[0].settings))
    for planned in interleave([CONTROL, BEST], design.run.blocks, design.run.seed):
        arm = proven if planned.arm == BEST else control
        play(arm, planned.block, planned.seed, Attempt(proven.settings) if arm is proven else None)
    return results


def tried_of(design: TrialDesign, results: Sequence[RunResult]) -> list[Tried]:
    """What is known from before and what was tried, each as the ratio of its goal to the last control before it, higher is better."""
    found = [Tried(one.settings, one.ratio, one.kept) for one in _spec(design).known]
    control: RunResult | None = None
    for run in results:
        if run.planned.block != SEARCH:
            continue
        if run.tried is None:
            control = run
        elif control is not None:
            found.append(_judged(design, control, run, run.tried))
    return found


def control_noise(design: TrialDesign, results: Sequence[RunResult]) -> float:
    """Standard deviation of the logarithm of a ratio of two runs, from the runs of the control; 0 where there are fewer than three."""
    metric = design.goal.metric
    controls = [run.goal.get(metric, 0.0) for run in results if run.planned.block == SEARCH and run.tried is None]
    return ratio_noise(controls)


def attempts_of(results: Sequence[RunResult]) -> list[Attempt]:
    """Those of the search, in order."""
    return [run.tried for run in results if run.planned.block == SEARCH and run.tried is not None]


def _judged(design: TrialDesign, control: RunResult, run: RunResult, attempt: Attempt) -> Tried:
    goal, rails = design.goal.metric, design.guardrails
    return judged(
        attempt.settings, Measured(run.goal.get(goal), control.goal.get(goal), higher_is_better(goal)),
        [
            (Measured(run.all.get(one.metric), control.all.get(one.metric), higher_is_better(one.metric)), one.worsen_at_most)
            for one in rails
        ],
        not attempt.failed,
    )  # fmt: skip


def _run(
    design: TrialDesign, target: RunTarget, arm: ArmSpec, planned: PlannedRun, report: Callable[[float], bool], attempt: Attempt | None,
    before: Sequence[RunResult],
) -> tuple[RunResult, pl.DataFrame]:  # fmt: skip
    """An attempt that cannot run at all is one that failed, and the search goes on; a control or the best must run."""
    try:
        if attempt is not None:
            target.admit(arm)
        frame = target.run(arm, design.run.seconds, planned.seed, report)
    except BadTrial:
        raise
    except GaugeError as error:
        if attempt is None or planned.block != SEARCH:
            raise
        failed = Attempt(attempt.settings, attempt.expected, attempt.low, attempt.high, str(error))
        return RunResult(planned, 0.0, {}, {}, tried=failed), pl.DataFrame()
    result = measure(design, planned, frame)
    result.take(target.observed(), before)
    result.tried = attempt
    return result, frame


def _spec(design: TrialDesign) -> TunerSpec:
    assert design.tuner is not None, "a design of this kind has it"
    return design.tuner


def search_document(design: TrialDesign, results: Sequence[RunResult]) -> dict[str, Any]:
    """What was tried, in the form in which a later search takes it up (``known``), with what was expected."""
    tried, attempts = tried_of(design, results), attempts_of(results)
    asked: list[Attempt | None] = [*[None] * (len(tried) - len(attempts)), *attempts]
    best = best_of(_spec(design).space(), tried, control_noise(design, results))
    return {
        "tried": [
            {"settings": dict(one.settings), "ratio": one.ratio, "kept": one.kept}
            | ({} if why is None else {"expected": why.expected, "low": why.low, "high": why.high, "failed": why.failed})
            for one, why in zip(tried, asked, strict=True)
        ],
        "best": None if best is None else {"settings": dict(best[0].settings), "expected": best[1]},
    }  # fmt: skip
