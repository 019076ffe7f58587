"""What trials of other kinds than a comparison say."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from typing import Any

from hardy_gauge.core.figures.formatting import counted, duration, share
from hardy_gauge.core.trials.compare import Ratio
from hardy_gauge.core.trials.factorial import Effect, Factorial
from hardy_gauge.core.trials.noise import Noise
from hardy_gauge.core.trials.query_set import Against, QuerySet
from hardy_gauge.core.trials.scalability import Scalability
from hardy_gauge.core.trials.sequential import Look
from hardy_gauge.core.trials.steps import Stage
from hardy_gauge.core.trials.sweep import Sweep

NEXT_TO_NOTHING = 1e-9  # of a share that was fitted: what the search leaves of none


def too_few_sentence(blocks: int, least: int = 2) -> str:
    """Why nothing is said of so many blocks in which every arm has run."""
    if blocks < least:
        ended = "No block has" if not blocks else "1 block has" if blocks == 1 else f"{blocks} blocks have"
        return f"{ended} ended in every arm; at least {least} are needed to say anything."
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


def null_sentence(metric: str, found: Noise) -> str:
    """Whether the bench is quiet, and what it could show."""
    ratio = found.ratio
    seen = f"the same thing twice differs by {ratio.ratio:.3g}× ({ratio.low:.3g} to {ratio.high:.3g}) in {metric}"
    if found.shown:
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
    mean, low, high = one.times()
    return f"{mean:.3g}× ({low:.3g} to {high:.3g})"


def scaling_sentence(found: Scalability, tried: float) -> str:
    """Where more workers stop helping, and what holds them up."""
    contention, coherency = (
        one.value if one.value >= NEXT_TO_NOTHING else 0.0 for one in (found.contention, found.coherency)
    )
    held = f"contention {contention:.3g}, coherency {coherency:.2g}"
    if found.peak is None or found.peak.value > 2 * tried:
        return (
            f"Throughput still grows with {counted(round(tried), 'worker')}, and where it turns is not shown ({held})."
        )
    upper = "with no upper end shown" if found.peak.high is None else f"to {found.peak.high:.3g}"
    peak = f"{found.peak.value:.3g} workers (from {found.peak.low:.3g} {upper})"
    if not found.turns_within(tried):
        return f"Throughput still grows with {counted(round(tried), 'worker')}; by the fitted curve it turns at {peak}, which was not tried ({held})."
    return f"Beyond {peak} more workers do not help: throughput is highest there, at {found.most:,.0f}/s by the fitted curve ({held})."


def steps_sentence(metric: str, stages: Sequence[Stage]) -> str:
    """What limits at first, and what each step brought and left as the limit."""
    first, parts = stages[0], list[str]()
    for stage in stages[1:]:
        ratio = stage.to_before
        assert ratio is not None
        interval = f"{ratio.low:.3g} to {ratio.high:.3g}"
        brought = (
            f"makes {metric} {ratio.ratio:.3g}× ({interval})"
            if stage.said in ("better", "worse")
            else f"shows no difference ({interval})"
        )
        left = (
            f", and {stage.limit} limits then ({share(stage.limit_share)} of the active sessions)"
            if stage.limit
            else ""
        )
        parts.append(f"{stage.name} {brought}{left}")
    at_first = (
        f"{first.limit} limits at first ({share(first.limit_share)} of the active sessions)"
        if first.limit
        else "What limits is not known, for nothing was seen of waits"
    )
    return f"{at_first[0].upper()}{at_first[1:]}; {'; '.join(parts)}."


def queries_sentence(sets: Sequence[QuerySet]) -> str:
    """How long they take in all and on average, which is the longest, what failed, and how other arms compare."""
    first = sets[0]
    ran = [one for one in first.queries if one.seconds is not None]
    if not ran:
        return "None of the queries ran to its end."
    longest = max(ran, key=lambda one: one.seconds or 0.0)
    told = (
        f"{len(ran)} queries take {duration(first.total_s)} in all, {duration(first.geometric_s or 0.0)} in the "
        f"geometric mean; the longest is number {longest.statement} with {duration(longest.seconds or 0.0)}"
    )
    wrong = sum(one.failed > 0 or not one.runs for one in first.queries)
    told += f"; {wrong} failed or did not get their turn" if wrong else ""
    for other in sets[1:]:
        ratio = other.total_to_first
        told += f"; {other.arm} {_against(ratio)}"
    return f"{told}."


def _against(ratio: Ratio | None) -> str:
    if ratio is None:
        return "cannot be compared, for not all of its queries ran"
    shown = "takes" if ratio.low > 1 or ratio.high < 1 else "shows no difference, with"
    return f"{shown} {ratio.ratio:.3g}× of the time in all ({ratio.low:.3g} to {ratio.high:.3g})"


def earlier_sentence(found: Sequence[Against]) -> str:
    """This run against an earlier one: all together, and which statements differ."""
    whole, each = found[0], found[1:]
    if not each:
        return "The earlier run has none of these queries."
    if whole.ratio is None or whole.low is None or whole.high is None:
        return f"{len(each)} queries are those of the earlier run, and too few of their runs ended to compare them."
    known = [one for one in each if one.low is not None and one.high is not None]
    slower, faster = sum((one.low or 0) > 1 for one in known), sum((one.high or 2) < 1 for one in known)
    return (
        f"Against the earlier run {len(each)} queries take {whole.ratio:.3g}× of the time in the geometric mean ({whole.low:.3g} to {whole.high:.3g}); "
        f"{slower} are slower and {faster} faster, as far as is shown. What else changed on the machine in between is in it."
    )


def tuner_sentence(
    metric: str, tried: int, settings: Mapping[str, Any], expected: float | None, measured: Mapping[str, Any] | None
) -> str:
    """What was found, what it was expected to bring, and what it brought when it was compared at the end."""
    if not settings or expected is None:
        return f"{tried} settings were tried so far, and none of them kept the guardrails."
    best = ", ".join(f"{name} = {value}" for name, value in settings.items())
    if measured is None:
        return f"The best of {tried} that were tried so far is {best}, expected to be {expected:.3g} times as good as the control in {metric}; this is not proven yet."
    said = {"better": "is better", "worse": "is worse"}.get(str(measured["outcome"]), "shows no difference")
    return (
        f"The best of {tried} that were tried is {best}. Compared again, it {said}: {metric} is {measured['ratio']:.3g}× "
        f"({measured['low']:.3g} to {measured['high']:.3g}) of the control; {expected:.3g} times as good was expected."
    )
