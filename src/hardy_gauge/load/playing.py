"""The runs of a trial: arms interleaved in blocks, stages under one load, or a search for settings."""

from __future__ import annotations

import random
from collections.abc import Callable

from hardy_gauge.core.trials.design import PlannedRun, interleave
from hardy_gauge.load.design import TrialDesign
from hardy_gauge.load.trial import OnRun, RunResult, RunTarget, StagedTarget, Stopped, measure
from hardy_gauge.load.tuning import play_search


def play_trial(
    design: TrialDesign, target: RunTarget, on_run: OnRun, progress: Callable[[float], bool],
    enough: Callable[[list[RunResult]], bool] = lambda _: False,
) -> list[RunResult]:  # fmt: skip
    """All runs in interleaved order; ``on_run`` gets each with its executions, ``progress`` the share done and returns False to stop
    (Stopped). ``enough`` is asked after every
    block whether more are needed.
    """
    if design.kind == "steps":
        return _play_stages(design, target, on_run, progress)
    if design.kind == "tuner":
        return play_search(design, target, on_run, progress)
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
        result.take(target.observed(), results)
        results.append(result)
        on_run(result, frame)
        if len(results) % len(arms) == 0 and enough(results):
            break
    return results


def _play_stages(
    design: TrialDesign, target: RunTarget, on_run: OnRun, progress: Callable[[float], bool]
) -> list[RunResult]:  # fmt: skip
    """One load after the other, each with all steps; a stage of it is a run of the arm that holds by then."""
    assert isinstance(target, StagedTarget), "it was opened for steps"
    results: list[RunResult] = []
    blocks, seconds, draw = design.run.blocks, design.run.seconds, random.Random(design.run.seed)
    for block in range(blocks):

        def report(done_s: float, before: int = block) -> bool:
            return progress((before + min(done_s / (seconds * len(design.arms)), 1.0)) / blocks)

        seed = draw.randrange(2**31)
        stages = target.run_stages(design.steps, seconds, seed, report)
        if not stages:
            raise Stopped
        for arm, (frame, seen) in zip(design.arms, stages, strict=True):
            result = measure(design, PlannedRun(len(results), block, arm.name, seed), frame)
            result.take(seen, results)
            results.append(result)
            on_run(result, frame)
    return results
