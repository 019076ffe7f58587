"""What comes out of each kind of trial, from its runs: a verdict, a sentence, and the figures behind them."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import asdict
from functools import partial
from typing import Any

import numpy as np

from hardy_gauge.core.narrative.trial_kinds import (
    as_needed_sentence,
    factorial_sentence,
    null_sentence,
    queries_sentence,
    scaling_sentence,
    steps_sentence,
    sweep_sentence,
    too_few_sentence,
    tuner_sentence,
)
from hardy_gauge.core.trials.factorial import factors_of
from hardy_gauge.core.trials.noise import noise_of
from hardy_gauge.core.trials.plans import arm_plans
from hardy_gauge.core.trials.query_set import query_sets
from hardy_gauge.core.trials.scalability import scalability
from hardy_gauge.core.trials.sequential import Look, look_at
from hardy_gauge.core.trials.steps import stages_of
from hardy_gauge.core.trials.sweep import sweep_of
from hardy_gauge.core.trials.verdict import higher_is_better
from hardy_gauge.load.design import TrialDesign
from hardy_gauge.load.parts import ArmSpec
from hardy_gauge.load.trial import RunResult, evaluate
from hardy_gauge.load.tuning import BEST, SEARCH, search_document

Figures = list[list[float]]
Answer = Callable[[TrialDesign, Figures], tuple[str, str, dict[str, Any]]]


def outcome_of(design: TrialDesign, results: list[RunResult]) -> dict[str, Any]:
    """The evaluation of the arms, with ``kind``, ``verdict``, ``sentence``, the figures of the kind under its name, and ``plans``, which
    statements have another plan in one arm than in the first.
    """
    told = {run.planned.arm: run.plans for run in results if run.plans}
    order = {arm.name: number for number, arm in enumerate(design.arms)}
    plans = arm_plans({arm: told[arm] for arm in sorted(told, key=lambda one: order.get(one, len(order)))})
    return _answer(design, results) | {"plans": None if plans is None else asdict(plans)}


def _answer(design: TrialDesign, results: list[RunResult]) -> dict[str, Any]:
    if design.kind == "tuner":
        return _tuner(design, results)
    evaluation = evaluate(design, results)
    if design.kind == "compare":
        first = evaluation["candidates"][0]
        return evaluation | {"kind": design.kind, "verdict": first["outcome"], "sentence": first["sentence"]}
    if design.kind == "queries":
        return evaluation | _queries(design, results)
    figures = _by_arm(design, results)
    blocks = min((len(one) for one in figures), default=0)
    if blocks < 2 or any(value <= 0 for one in figures for value in one):
        return evaluation | {"kind": design.kind, "verdict": "cannot tell", "sentence": too_few_sentence(blocks)}
    answers: dict[str, Answer] = {
        "as-needed": _as_needed,
        "null": _null,
        "sweep": _sweep,
        "factorial": _factorial,
        "scaling": _scaling,
        "steps": partial(_steps, [one["active_sessions"] for one in evaluation["arms"]]),
    }
    verdict, sentence, found = answers[design.kind](design, figures)
    return evaluation | {"kind": design.kind, "verdict": verdict, "sentence": sentence, design.kind: found}


def enough_of(design: TrialDesign) -> Callable[[list[RunResult]], bool]:
    """Whether a trial needs more blocks; only one that runs as long as needed ever has enough before its last."""

    def enough(results: list[RunResult]) -> bool:
        found = _look(design, _by_arm(design, results))
        return found is not None and found.answer != ""

    return enough if design.kind == "as-needed" else lambda _: False


def _look(design: TrialDesign, figures: Figures) -> Look | None:
    if not figures[0] or any(value <= 0 for one in figures for value in one):
        return None
    return look_at(figures[0], figures[1], design.run.blocks, design.precise)


def _as_needed(design: TrialDesign, figures: Figures) -> tuple[str, str, dict[str, Any]]:
    found = _look(design, figures)
    if found is None:
        return "cannot tell", too_few_sentence(min(map(len, figures))), {}
    better = (found.ratio > 1) == higher_is_better(design.goal.metric)
    verdict = ("better" if better else "worse") if found.shown else "no difference shown"
    return (
        verdict,
        as_needed_sentence(design.arms[1].name, design.goal.metric, found, verdict, design.run.blocks),
        asdict(found),
    )


def _by_arm(design: TrialDesign, results: Sequence[RunResult]) -> Figures:
    """The goal's figure of every arm, one for each block in which all arms ran."""
    metric, names = design.goal.metric, [arm.name for arm in design.arms]
    known = {(run.planned.arm, run.planned.block): run.goal[metric] for run in results if metric in run.goal}
    blocks = [b for b in range(design.run.blocks) if all((name, b) in known for name in names)]
    return [[known[name, b] for b in blocks] for name in names]


def _null(design: TrialDesign, figures: Figures) -> tuple[str, str, dict[str, Any]]:
    found = noise_of(figures[0], figures[1])
    verdict = "a difference where there is none" if found.shown else "no difference shown"
    return verdict, null_sentence(design.goal.metric, found), asdict(found)


def _sweep(design: TrialDesign, figures: Figures) -> tuple[str, str, dict[str, Any]]:
    assert design.sweep is not None
    values = [str(value) for value in design.sweep.values]
    found = sweep_of(values, figures, higher_is_better(design.goal.metric))
    verdict = "no value shown to be better" if len(found.region) == len(values) else "best region found"
    return verdict, sweep_sentence(design.sweep.setting, design.goal.metric, found), asdict(found)


def _factorial(design: TrialDesign, figures: Figures) -> tuple[str, str, dict[str, Any]]:
    found = factors_of([factor.name for factor in design.factors], figures)
    effects = [
        asdict(one) | {"shown": one.shown} | dict(zip(("times", "times_low", "times_high"), one.times(), strict=True))
        for one in found.effects
    ]
    verdict = "effects shown" if any(one.shown for one in found.effects) else "no effect shown"
    return verdict, factorial_sentence(design.goal.metric, found), asdict(found) | {"effects": effects}


def _scaling(design: TrialDesign, figures: Figures) -> tuple[str, str, dict[str, Any]]:
    sessions = [float(number) for number in sorted(set(design.workers))]
    found = scalability(sessions, np.asarray(figures).T.tolist(), design.run.seed)
    points = [{"workers": n, "mean": float(np.mean(one))} for n, one in zip(sessions, figures, strict=True)]
    verdict = "turns" if found.turns_within(max(sessions)) else "does not turn as far as was tried"
    return verdict, scaling_sentence(found, max(sessions)), asdict(found) | {"points": points}


def _steps(families: list[dict[str, float]], design: TrialDesign, figures: Figures) -> tuple[str, str, dict[str, Any]]:
    metric = design.goal.metric
    found = stages_of([arm.name for arm in design.arms], figures, families, metric)
    helped = [stage.name for stage in found[1:] if stage.said == "better"]
    verdict = f"{len(helped)} of {len(found) - 1} steps help" if helped else "no step is shown to help"
    return verdict, steps_sentence(metric, found), {"stages": [asdict(one) for one in found]}


def _queries(design: TrialDesign, results: Sequence[RunResult]) -> dict[str, Any]:
    known = {(run.planned.arm, run.planned.block): run.queries for run in results}
    blocks = [b for b in range(design.run.blocks) if all((arm.name, b) in known for arm in design.arms)]
    if not blocks:
        return {"kind": design.kind, "verdict": "cannot tell", "sentence": too_few_sentence(0, 1)}
    sets = query_sets([arm.name for arm in design.arms], [[known[arm.name, b] for b in blocks] for arm in design.arms])
    texts = [one.sql for one in design.workload.statements]
    verdict = (
        "all ran"
        if not any(one.failed or not one.runs for found in sets for one in found.queries)
        else "some did not run"
    )
    found = {"texts": texts, "sets": [asdict(one) for one in sets]}
    return {"kind": design.kind, "verdict": verdict, "sentence": queries_sentence(sets), design.kind: found}


def _tuner(design: TrialDesign, results: Sequence[RunResult]) -> dict[str, Any]:
    """The comparison at the end as of any two arms, with the search that led to it."""
    found = search_document(design, results)
    settings = found["best"]["settings"] if found["best"] else {}
    final = design.model_copy(update={"arms": [*design.arms, ArmSpec(name=BEST, settings=settings)]})
    proven = [run for run in results if run.planned.block != SEARCH]
    evaluation = evaluate(final, proven)
    ratios = evaluation["candidates"][0]["ratios"]["goal"]
    measured = ratios.get(design.goal.metric) if evaluation["blocks"] > 1 else None
    tried = len(found["tried"])
    verdict = evaluation["candidates"][0]["outcome"] if measured else "searching"
    sentence = tuner_sentence(
        design.goal.metric, tried, settings, found["best"] and found["best"]["expected"], measured
    )
    return evaluation | {
        "kind": design.kind,
        "verdict": verdict,
        "sentence": sentence,
        design.kind: found | {"measured": measured},
    }
