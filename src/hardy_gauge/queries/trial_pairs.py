"""Two trials on file beside each other: arm by arm, and what else differs between them."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from hardy_gauge.core.narrative.trials import against_sentence, no_ratio_sentence
from hardy_gauge.core.trials.compare import Ratio, unpaired_ratio
from hardy_gauge.core.trials.figures import METRICS, UNITS
from hardy_gauge.core.trials.line import changed_in
from hardy_gauge.core.trials.verdict import Outcome, outcome, span
from hardy_gauge.queries.reader import Reader
from hardy_gauge.queries.trials import trial_with_runs
from hardy_gauge.store.trial_models import Trial


@dataclass(frozen=True)
class ArmAgainst:
    """A figure of an arm of the first trial and one of the second, over all their runs; durations in seconds."""

    first: str
    second: str
    metric: str
    unit: str
    first_mean: float
    second_mean: float
    ratio: Ratio
    outcome: Outcome


@dataclass(frozen=True)
class TrialsAgainst:
    """``differs`` is what is not the same in their designs."""

    sentence: str
    first: str
    second: str
    rows: list[ArmAgainst]
    differs: list[str]


def trials_against(reader: Reader, first: int, second: int) -> TrialsAgainst:
    """Arms of the same name; where there are none, the first of each, and the last of each. NotFound where there is no such trial."""
    before, after = trial_with_runs(reader, first), trial_with_runs(reader, second)
    rows = [
        row
        for pair in _pairs(_arms(before), _arms(after))
        for metric in METRICS
        for row in _row(before, after, *pair, metric)
    ]
    differs = changed_in(before.design, after.design)
    goal = after.design["goal"]["metric"]
    main = next((row for row in rows if row.metric == goal), None)
    sentence = (
        no_ratio_sentence(first, second)
        if main is None
        else against_sentence(first, second, f"{goal} of {main.second}", f"is {span(main.ratio)}", len(differs))
    )
    return TrialsAgainst(sentence, before.title, after.title, rows, differs)


def _arms(trial: Trial) -> list[str]:
    """In the order of the design, then those that a search made."""
    ran = dict.fromkeys(run.arm for run in trial.runs)
    stated = [arm["name"] for arm in trial.design.get("arms", []) if arm["name"] in ran]
    return [*stated, *(name for name in ran if name not in stated)]


def _pairs(first: Sequence[str], second: Sequence[str]) -> list[tuple[str, str]]:
    alike = [(name, name) for name in first if name in second]
    if alike or not first or not second:
        return alike
    return list(dict.fromkeys([(first[0], second[0]), (first[-1], second[-1])]))


def _row(before: Trial, after: Trial, first: str, second: str, metric: str) -> list[ArmAgainst]:
    a, b = _figures(before, first, metric), _figures(after, second, metric)
    try:
        ratio = unpaired_ratio(a, b)
    except ValueError:
        return []
    return [
        ArmAgainst(
            first, second, metric, UNITS[metric], sum(a) / len(a), sum(b) / len(b), ratio, outcome(metric, ratio)
        )
    ]


def _figures(trial: Trial, arm: str, metric: str) -> list[float]:
    """Of all statements, which two trials have in common whatever their goals."""
    found = [run.figures["all"].get(metric) for run in trial.runs if run.arm == arm]
    return [float(one) for one in found if one]
