"""The verdict of a trial: plainly better, plainly worse, or no difference shown; goal and guardrails apart."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

from hardy_gauge.core.figures.formatting import duration
from hardy_gauge.core.trials.compare import Interval, Ratio
from hardy_gauge.core.trials.figures import Metric

Outcome = Literal["better", "worse", "no difference shown"]
GOAL_WORDS = {
    "better": "plainly better",
    "worse": "plainly worse",
    "no difference shown": "no difference shown",
}


@dataclass(frozen=True)
class Goal:
    """ "Good enough", stated before the trial: ``metric`` at most (durations, s) or at least (throughput) ``value``."""

    metric: Metric
    value: float


@dataclass(frozen=True)
class Guardrail:
    """A figure that the candidate must not worsen by more than ``limit`` (0.05 is 5%)."""

    metric: Metric
    limit: float


@dataclass(frozen=True)
class Verdict:
    """What a trial shows on the figure that was named as its goal."""

    outcome: Outcome
    goal_met: Literal["met", "not met", "open"]
    guardrails_broken: list[str]
    sentence: str


def higher_is_better(metric: str) -> bool:
    """Whether more of a figure is better."""
    return metric == "throughput"


def outcome(metric: str, ratio: Ratio) -> Outcome:
    """Better or worse only when the whole interval lies on one side of 1."""
    if ratio.low > 1:
        return "better" if higher_is_better(metric) else "worse"
    if ratio.high < 1:
        return "worse" if higher_is_better(metric) else "better"
    return "no difference shown"


def goal_state(goal: Goal, candidate: Interval) -> Literal["met", "not met", "open"]:
    """Met when the whole interval of the candidate's mean keeps the goal; open when the goal lies inside it."""
    low, high = candidate.low, candidate.high
    if higher_is_better(goal.metric):
        return "met" if low >= goal.value else "not met" if high < goal.value else "open"
    return "met" if high <= goal.value else "not met" if low > goal.value else "open"


def broken(guardrail: Guardrail, ratio: Ratio) -> bool:
    """Broken when the interval shows a worsening beyond the limit."""
    if higher_is_better(guardrail.metric):
        return ratio.high < 1 - guardrail.limit
    return ratio.low > 1 + guardrail.limit


def judge(
    goal: Goal,
    candidate: Interval,
    ratios: dict[str, Ratio],
    guardrails: list[Guardrail],
    arm: str = "the candidate",
) -> Verdict:
    """The verdict on the goal's metric; ``ratios`` by metric must hold the goal's and every guardrail's."""
    ratio = ratios[goal.metric]
    result = outcome(goal.metric, ratio)
    state = goal_state(goal, candidate)
    over: list[str] = [g.metric for g in guardrails if broken(g, ratios[g.metric])]
    if result == "no difference shown":
        start = f"No difference shown: {goal.metric} of {arm} is {span(ratio)} of the control"
    else:
        start = f"{arm[0].upper()}{arm[1:]} is {GOAL_WORDS[result]}: {goal.metric} is {span(ratio)} of the control"
    value = f"{goal.value:g}/s" if higher_is_better(goal.metric) else duration(goal.value)
    kept = {
        "met": f"the goal of {value} is met",
        "not met": f"the goal of {value} is not met",
        "open": f"whether the goal of {value} is met stays open",
    }[state]
    harm = f"; it worsens {' and '.join(over)} beyond the guardrail" if over else ""
    return Verdict(result, state, over, f"{start}, and {kept}{harm}.")


def span(ratio: Ratio) -> str:
    """A ratio with its interval: 0.31× (0.28 to 0.34); far below one as a fraction, 1/704 (1/735 to 1/676)."""
    small = ratio.ratio < 0.1

    def text(x: float) -> str:
        if small and x > 0:
            return f"1/{1 / x:,.0f}" if x < 0.05 else f"1/{1 / x:.3g}"
        return f"{x:.3g}" if x < 1000 else f"{x:,.0f}"

    times = "" if small else "×"
    if ratio.blocks < 2:
        return f"{text(ratio.ratio)}{times} (one block has no interval)"
    return f"{text(ratio.ratio)}{times} ({text(ratio.low)} to {text(ratio.high)})"
