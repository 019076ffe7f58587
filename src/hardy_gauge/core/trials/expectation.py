"""What advice expects of a change, as a ratio that a trial measures, and how far the two agree."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import asdict, dataclass
from typing import Any, Literal

from hardy_gauge.core.diagnosis.fact import Fact
from hardy_gauge.core.trials.soundness import wilson_interval

METRIC = "mean"  # at the same rate of calls, active sessions are as their time per call (Little 1961)
WON_BACK = "active sessions won back"
Agreement = Literal["as expected", "more than expected", "less than expected", "not told apart"]


@dataclass(frozen=True)
class Expectation:
    """Time per call with a change ÷ without it: ``ratio``, its range from ``low`` to ``high``, and from what it was concluded."""

    ratio: float
    low: float
    high: float
    source: str


@dataclass(frozen=True)
class Met:
    """An expectation beside what its trial measured, with the 95% interval of that."""

    expected: Expectation
    measured: float
    low: float
    high: float
    agreement: Agreement


@dataclass(frozen=True)
class Record:
    """How often what was measured lay in the range that was expected, with its 95% interval (Wilson 1927); None where nothing was told."""

    told: int
    held: int
    share: float | None
    low: float | None
    high: float | None


def expectation_of(expected: Sequence[Fact]) -> Expectation | None:
    """Of a remedy's facts: the active sessions that it wins back against those that are spent now. None where it says no range of them."""
    for fact in expected:
        if fact.what == WON_BACK and fact.reference and fact.low is not None and fact.high is not None:
            left = [max(0.0, 1 - won / fact.reference) for won in (fact.value, fact.high, fact.low)]
            return Expectation(left[0], left[1], left[2], fact.source)
    return None


def met(expected: Expectation, measured: Mapping[str, float]) -> Met:
    """``measured`` has ``ratio``, ``low`` and ``high``. As expected where the measured ratio lies in the range; more or less where its whole
    interval lies outside; otherwise the trial was too short to tell.
    """
    ratio, low, high = (float(measured[name]) for name in ("ratio", "low", "high"))
    agreement: Agreement = "not told apart"
    if expected.low <= ratio <= expected.high:
        agreement = "as expected"
    elif high < expected.low:
        agreement = "more than expected"
    elif low > expected.high:
        agreement = "less than expected"
    return Met(expected, ratio, low, high, agreement)


def met_in(design: Mapping[str, Any], result: Mapping[str, Any] | None) -> Met | None:
    """Of a trial whose design says what is expected; None before its candidate was measured against the control."""
    stated, candidates = design.get("expects"), (result or {}).get("candidates") or []
    measured = candidates[0]["ratios"]["goal"].get(METRIC) if candidates else None
    if not stated or measured is None:
        return None
    expected = Expectation(
        float(stated["ratio"]), float(stated["low"]), float(stated["high"]), stated.get("source") or ""
    )
    return met(expected, measured)


def record_of(all_of_them: Sequence[Met]) -> Record:
    """Trials that could not tell count neither way."""
    told = [one for one in all_of_them if one.agreement != "not told apart"]
    held = sum(one.agreement == "as expected" for one in told)
    if not told:
        return Record(0, 0, None, None, None)
    return Record(len(told), held, held / len(told), *wilson_interval(held, len(told)))


def with_expectation(design: dict[str, Any], expected: Sequence[Fact]) -> dict[str, Any]:
    """A design that says what is expected of its candidate, where that is known."""
    found = expectation_of(expected)
    return design if found is None else design | {"expects": asdict(found)}
