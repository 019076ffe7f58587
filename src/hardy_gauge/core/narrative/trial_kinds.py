"""What trials of other kinds than a comparison say."""

from __future__ import annotations

import math

from hardy_gauge.core.figures.formatting import counted, share
from hardy_gauge.core.trials.factorial import Effect, Factorial
from hardy_gauge.core.trials.noise import Noise
from hardy_gauge.core.trials.scalability import Scalability
from hardy_gauge.core.trials.sequential import Look
from hardy_gauge.core.trials.sweep import Sweep


def too_few_sentence() -> str:
    return "Too few executions ended in some runs to say anything; run longer or with more load."


def as_needed_sentence(arm: str, metric: str, found: Look, verdict: str, most: int) -> str:
    """The answer, and after how many blocks and why it ended."""
    interval = f"{metric} is {found.ratio:.3g}× ({found.low:.3g} to {found.high:.3g}) of the control"
    ended = {
        "a difference is shown": f"shown after {found.blocks} of at most {most} blocks",
        "as precise as was asked for": f"{found.blocks} of at most {most} blocks were enough for the interval that was asked for",
    }.get(found.answer, f"after {found.blocks} of at most {most} blocks")
    said = {"better": "is plainly better", "worse": "is plainly worse"}.get(verdict, "shows no difference")
    return f"{arm[0].upper()}{arm[1:]} {said}: {interval}, {ended}. The interval holds although it was looked at after every block."


def null_sentence(metric: str, found: Noise, shown: bool) -> str:
    """Whether the bench is quiet, and what it could show."""
    ratio = found.ratio
    seen = f"the same thing twice differs by {ratio.ratio:.3g}× ({ratio.low:.3g} to {ratio.high:.3g}) in {metric}"
    if shown:
        return f"This bench shows a difference where there is none: {seen}. One trial in twenty does; if it comes again, something drifts."
    least = (
        ""
        if found.smallest is None
        else f"; with this design a difference of {found.smallest:.3g}× or more would be shown four times out of five"
    )
    return f"This bench shows no difference where there is none: {seen}{least}."


def sweep_sentence(setting: str, metric: str, found: Sweep) -> str:
    """Which values are as good as the best, and where it turns bad."""
    best = found.points[found.best]
    if len(found.region) == len(found.points):
        return f"No value of {setting} is shown to be better than the others in {metric}."
    worst = max(
        (p for p in found.points if p.to_best is not None),
        key=lambda p: abs(math.log(p.to_best.ratio)) if p.to_best else 0.0,
    )
    ratio = worst.to_best.ratio if worst.to_best is not None else 1.0
    alike = (
        f"{', '.join(found.region)} are alike as far as is shown"
        if len(found.region) > 1
        else f"{best.value} is better than all others"
    )
    return f"{setting} is best at {best.value} for {metric}: {alike}; {worst.value} has {ratio:.3g}× of the best."


def factorial_sentence(metric: str, found: Factorial) -> str:
    """Each change alone, and whether two of them help or hide each other."""
    shown = [one for one in found.effects if one.shown]
    if not shown:
        return f"None of the changes is shown to have an effect on {metric}, alone or together."
    alone = [one for one in shown if len(one.of) == 1]
    together = [one for one in shown if len(one.of) > 1]
    parts = [
        f"{one.of[0]} makes {metric} {_times(one)} and explains {share(one.variation)} of the variation"
        for one in alone
    ]
    parts += [
        f"{' and '.join(one.of)} together make {_times(one)} more than each alone would ({share(one.variation)})"
        for one in together
    ]
    rest = "" if together else "; that they help or hide each other is not shown"
    return f"{'; '.join(parts)[0].upper()}{'; '.join(parts)[1:]}{rest}."


def _times(one: Effect) -> str:
    return f"{math.exp(2 * one.effect.mean):.3g}× ({math.exp(2 * one.effect.low):.3g} to {math.exp(2 * one.effect.high):.3g})"


def scaling_sentence(found: Scalability, tried: float) -> str:
    """Where more workers stop helping, and what holds them up."""
    held = f"contention {found.contention.value:.3g}, coherency {found.coherency.value:.2g}"
    if found.peak is None or found.peak.value > 2 * tried:
        return (
            f"Throughput still grows with {counted(round(tried), 'worker')}, and where it turns is not shown ({held})."
        )
    upper = "with no upper end shown" if found.peak.high is None else f"to {found.peak.high:.3g}"
    peak = f"{found.peak.value:.3g} workers (from {found.peak.low:.3g} {upper})"
    if found.peak.value > tried:
        return f"Throughput still grows with {counted(round(tried), 'worker')}; by the fitted curve it turns at {peak}, which was not tried ({held})."
    return f"Beyond {peak} more workers do not help: throughput is highest there, at {found.most:,.0f}/s by the fitted curve ({held})."
