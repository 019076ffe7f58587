"""What advice expects beside what a trial measures."""

from __future__ import annotations

import pytest
from statsmodels.stats.proportion import proportion_confint

from hardy_gauge.core.diagnosis.fact import Fact
from hardy_gauge.core.narrative.expectations import expectations_sentence, expected_words, met_out, met_sentence
from hardy_gauge.core.trials.expectation import (
    WON_BACK,
    Expectation,
    expectation_of,
    met,
    met_in,
    record_of,
    with_expectation,
)

EXPECTED = Expectation(0.5, 0.25, 0.75, "counters")


def fact(value: float, low: float | None, high: float | None, now: float | None) -> Fact:
    return Fact(WON_BACK, value, "sessions", "counters", now, low, high)


def test_sessions_won_back_are_time_per_call_that_is_left() -> None:
    """At the same rate of calls (Little 1961): three of four sessions won back leave a quarter of the time per call."""
    found = expectation_of([Fact("time per call", 1.0, "s", "plan", 2.0), fact(3.0, 2.0, 4.0, 4.0)])
    assert found == Expectation(0.25, 0.0, 0.5, "counters")
    assert expectation_of([fact(3.0, 2.0, 5.0, 4.0)]) == Expectation(0.25, 0.0, 0.5, "counters"), "no less than nothing"


def test_what_says_no_range_is_no_expectation() -> None:
    assert expectation_of([fact(3.0, None, None, 4.0)]) is None and expectation_of([fact(3.0, 2.0, 4.0, None)]) is None
    assert with_expectation({"title": "x"}, []) == {"title": "x"}


@pytest.mark.parametrize(
    ("ratio", "low", "high", "agreement"),
    [
        (0.5, 0.4, 0.6, "as expected"),
        (0.7, 0.2, 1.9, "as expected"),
        (0.1, 0.05, 0.2, "more than expected"),
        (1.0, 0.9, 1.1, "less than expected"),
        (0.9, 0.6, 1.3, "not told apart"),
        (0.2, 0.1, 0.4, "not told apart"),
    ],
)
def test_agreement(ratio: float, low: float, high: float, agreement: str) -> None:
    found = met(EXPECTED, {"ratio": ratio, "low": low, "high": high})
    assert found.agreement == agreement
    assert met_sentence(found).startswith("Expected 0.5× (0.25 to 0.75) of the time per call, measured ")


def test_small_ratios_are_said_alike() -> None:
    found = met(Expectation(0.0007, 0.0, 0.3, "plan"), {"ratio": 0.0008, "low": 0.0007, "high": 0.0009})
    assert met_sentence(found) == (
        "Expected 1/1,429 (0 to 1/3.33) of the time per call, measured 1/1,250 (1/1,429 to 1/1,111): as expected."
    )


def test_of_a_trial() -> None:
    """The goal's time per call, of the first candidate; nothing before it is measured."""
    design = {"expects": {"ratio": 0.5, "low": 0.25, "high": 0.75, "source": ""}}
    measured = {"ratio": 0.3, "low": 0.2, "high": 0.4}
    result = {"candidates": [{"ratios": {"goal": {"mean": measured}}}, {"ratios": {"goal": {}}}]}
    found = met_in(design, result)
    assert found is not None and found.measured == 0.3
    assert met_in(design, None) is None and met_in({}, result) is None
    assert met_in(design, {"candidates": [{"ratios": {"goal": {}}}]}) is None
    assert met_out(design, result) is not None and met_out({}, result) is None


def test_before_it_is_tried() -> None:
    stated = {"ratio": 0.5, "low": 0.25, "high": 0.75, "source": "counters"}
    assert (
        expected_words(stated).startswith("0.5× (0.25 to 0.75) of the time per call, from counters:")
        and expected_words(None) == ""
    )


def test_how_often_it_held() -> None:
    """Wilson's interval against statsmodels; trials that could not tell count neither way."""
    ratios = [(0.5, 0.4, 0.6)] * 7 + [(1.0, 0.9, 1.1)] * 2 + [(0.9, 0.6, 1.3)]
    mets = [met(EXPECTED, dict(zip(("ratio", "low", "high"), one, strict=True))) for one in ratios]
    record = record_of(mets)
    assert (record.told, record.held) == (9, 7)
    assert (record.low, record.high) == pytest.approx(proportion_confint(7, 9, method="wilson"), rel=1e-3)
    assert expectations_sentence(mets, record) == (
        "What was expected held in 7 of 9 trials (78%, 95% interval 45% to 94%); 1 trial could not tell."
    )
    nothing = record_of(mets[-1:])
    assert nothing.share is None and "None of 1 trial could tell" in expectations_sentence(mets[-1:], nothing)
    assert expectations_sentence([], record_of([])).startswith("No trial has measured yet")
