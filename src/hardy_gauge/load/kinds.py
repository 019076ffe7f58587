"""What comes out of each kind of trial, from its runs: a verdict, a sentence, and the figures behind them."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import asdict
from typing import Any

import numpy as np

from hardy_gauge.core.narrative.trial_kinds import (
    as_needed_sentence,
    factorial_sentence,
    null_sentence,
    scaling_sentence,
    sweep_sentence,
    too_few_sentence,
)
from hardy_gauge.core.trials.compare import paired_ratio
from hardy_gauge.core.trials.factorial import effects_of
from hardy_gauge.core.trials.noise import noise_of
from hardy_gauge.core.trials.scalability import scalability
from hardy_gauge.core.trials.sequential import Look, look_at
from hardy_gauge.core.trials.sweep import sweep_of
from hardy_gauge.core.trials.verdict import higher_is_better
from hardy_gauge.load.design import TrialDesign
from hardy_gauge.load.trial import RunResult, evaluate

Figures = list[list[float]]


def outcome_of(design: TrialDesign, results: list[RunResult]) -> dict[str, Any]:
    """The evaluation of the arms, with ``kind``, ``verdict``, ``sentence``, and the figures of the kind under its name."""
    evaluation = evaluate(design, results)
    if design.kind == "compare":
        first = evaluation["candidates"][0]
        return evaluation | {"kind": design.kind, "verdict": first["outcome"], "sentence": first["sentence"]}
    figures = _by_arm(design, results)
    blocks = min((len(one) for one in figures), default=0)
    if blocks < 2 or any(value <= 0 for one in figures for value in one):
        return evaluation | {"kind": design.kind, "verdict": "cannot tell", "sentence": too_few_sentence()}
    verdict, sentence, found = {
        "as-needed": _as_needed,
        "null": _null,
        "sweep": _sweep,
        "factorial": _factorial,
        "scaling": _scaling,
    }[design.kind](design, figures)
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
        return "cannot tell", too_few_sentence(), {}
    shown = found.low > 1 or found.high < 1
    better = (found.ratio > 1) == higher_is_better(design.goal.metric)
    verdict = ("better" if better else "worse") if shown else "no difference shown"
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
    ratio = paired_ratio(figures[0], figures[1])
    spread = float(np.std(np.log(figures[1]) - np.log(figures[0]), ddof=1))
    found = noise_of(ratio, spread)
    shown = ratio.low > 1 or ratio.high < 1
    verdict = "a difference where there is none" if shown else "no difference shown"
    return verdict, null_sentence(design.goal.metric, found, shown), asdict(found)


def _sweep(design: TrialDesign, figures: Figures) -> tuple[str, str, dict[str, Any]]:
    assert design.sweep is not None
    values = [str(value) for value in design.sweep.values]
    found = sweep_of(values, figures, higher_is_better(design.goal.metric))
    verdict = "no value shown to be better" if len(found.region) == len(values) else "best region found"
    return verdict, sweep_sentence(design.sweep.setting, design.goal.metric, found), asdict(found)


def _factorial(design: TrialDesign, figures: Figures) -> tuple[str, str, dict[str, Any]]:
    """On logarithms, so that an effect is a factor whatever the others are."""
    names = [factor.name for factor in design.factors]
    cells = [tuple(bool(number >> place & 1) for place in range(len(names))) for number in range(len(design.arms))]
    blocks = [
        {cell: float(np.log(values[b])) for cell, values in zip(cells, figures, strict=True)}
        for b in range(len(figures[0]))
    ]
    found = effects_of(names, blocks)
    shown = any(one.shown for one in found.effects)
    document = asdict(found) | {
        "effects": [
            asdict(one) | {"shown": one.shown, "times": float(np.exp(2 * one.effect.mean))} for one in found.effects
        ]
    }
    return "effects shown" if shown else "no effect shown", factorial_sentence(design.goal.metric, found), document


def _scaling(design: TrialDesign, figures: Figures) -> tuple[str, str, dict[str, Any]]:
    sessions = [float(arm.workers or 1) for arm in design.arms]
    found = scalability(sessions, np.asarray(figures).T.tolist(), design.run.seed)
    turns = found.peak is not None and found.peak.value <= max(sessions)
    points = [{"workers": n, "mean": float(np.mean(one))} for n, one in zip(sessions, figures, strict=True)]
    verdict = "turns" if turns else "does not turn as far as was tried"
    return verdict, scaling_sentence(found, max(sessions)), asdict(found) | {"points": points}
