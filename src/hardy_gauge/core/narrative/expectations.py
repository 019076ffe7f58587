"""What advice expected beside what trials measured, in words."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from hardy_gauge.core.figures.formatting import counted, share
from hardy_gauge.core.trials.compare import Ratio
from hardy_gauge.core.trials.expectation import Met, Record, met_in
from hardy_gauge.core.trials.verdict import span

WORDS = {
    "as expected": "as expected", "more than expected": "it brings more than was expected", "less than expected": "it brings less than was expected",
    "not told apart": "too few runs to say whether that is as expected",
}  # fmt: skip


@dataclass(frozen=True)
class MetOut:
    """``met`` in a sentence."""

    met: Met
    sentence: str


def met_out(design: Mapping[str, Any], result: Mapping[str, Any] | None) -> MetOut | None:
    """None of a trial of which nothing was expected, and before anything was measured."""
    found = met_in(design, result)
    return None if found is None else MetOut(found, met_sentence(found))


def expected_words(stated: Mapping[str, Any] | None) -> str:
    """Of a design, before it is tried; empty where nothing is expected."""
    if not stated:
        return ""
    ratio, low, high = (float(stated[name]) for name in ("ratio", "low", "high"))
    return f"{_with_range(ratio, low, high)} of the time per call, from {stated.get('source') or 'what was stated'}: the trial will show whether it holds"


def met_sentence(found: Met) -> str:
    """ "Expected 0.2× (0.1 to 0.4) of the time per call, measured 0.25× (0.2 to 0.31): as expected."."""
    said = found.expected
    measured = _with_range(found.measured, found.low, found.high)
    return (
        f"Expected {_with_range(said.ratio, said.low, said.high)} of the time per call, measured {measured}: "
        f"{WORDS[found.agreement]}."
    )


def _with_range(ratio: float, low: float, high: float) -> str:
    return span(Ratio(ratio, low, high, 0.0, 2))


def expectations_sentence(found: Sequence[Met], record: Record) -> str:
    """How often expectations held over all trials."""
    if not found:
        return 'No trial has measured yet what a piece of advice expects: choose "Try it" at a finding.'
    if record.share is None or record.low is None or record.high is None:
        return f"None of {counted(len(found), 'trial')} could tell whether what was expected holds; run them longer."
    open_ = len(found) - record.told
    rest = f"; {counted(open_, 'trial')} could not tell" if open_ else ""
    return (
        f"What was expected held in {record.held} of {counted(record.told, 'trial')} ({share(record.share)}, "
        f"95% interval {share(record.low)} to {share(record.high)}){rest}."
    )
