"""What a pin does today, and the finding about one that does no good."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

import pytest

from hardy_gauge.core.diagnosis.rules.planning.pin_unhelpful import PinUnhelpful
from hardy_gauge.core.evidence.evidence import Evidence, Sampled, Samples, Unknown
from hardy_gauge.core.narrative.pins import pin_words, pins_sentence
from hardy_gauge.core.plans.pins import PinFacts, PinState, state_of
from hardy_gauge.core.time.span import DAY_US, Span

NONE = Unknown("none")
PIN = PinFacts("f", "SELECT 1", "mine", 1, 100.0, 100.0, now_s=0.01, other_s=0.05, kept_key="mine", free_key="free")


@pytest.mark.parametrize(
    ("changed", "state"),
    [
        ({}, "helps"),
        ({"calls": 0.0, "with_it": 0.0}, "no calls"),
        ({"with_it": 20.0}, "not used"),
        ({"kept_key": "another"}, "not used"),
        ({"free_key": "mine"}, "chosen anyway"),
        ({"now_s": 0.07}, "no longer helps"),
        ({"now_s": 0.048}, "cannot tell"),
        ({"other_s": None}, "cannot tell"),
        ({"other_s": None, "first_s": 0.004, "kept_cost": 100.0, "free_cost": 10.0}, "no longer helps"),
        ({"other_s": None, "first_s": 0.004, "kept_cost": 100.0, "free_cost": 90.0}, "cannot tell"),
        ({"now_s": None}, "cannot tell"),
    ],
)
def test_what_a_pin_does(changed: dict[str, Any], state: PinState) -> None:
    pin = replace(PIN, **changed)
    assert state_of(pin) == state
    assert pin_words(pin).endswith(".")


def evidence(*pins: PinFacts, active: float = 2.0) -> Evidence:
    samples = Samples(4.0, 3600.0, {"f": Sampled(active, 0.9 * active, 1.1 * active)})
    return replace(Evidence("a", "test", Span(0, 3_600_000_000), 3600.0, {}, samples, NONE), pins=pins)


def test_one_that_no_longer_helps_costs_and_others_are_notes() -> None:
    worse = replace(PIN, now_s=0.5, kept_cost=200.0, free_cost=20.0)
    (found,) = PinUnhelpful().examine(evidence(worse))
    assert found.grade == "act" and found.share == pytest.approx(0.5) and found.remedies[0].kind == "pin"
    assert {fact.what for fact in found.facts} >= {"time per call by the plan before it", "active sessions"}
    (note,) = PinUnhelpful().examine(evidence(replace(PIN, free_key="mine", since_us=-8 * DAY_US)))
    assert not PinUnhelpful().examine(evidence(replace(PIN, free_key="mine"))), "pinned this week, to keep it"
    assert note.grade == "note" and "not needed" in note.title
    assert not PinUnhelpful().examine(evidence(PIN, replace(PIN, other_s=None))), "helps, and cannot tell"


def test_what_is_said_of_all() -> None:
    assert "No plan is pinned on desk-a" in pins_sentence("desk-a", [])
    assert pins_sentence("desk-a", ["helps"]) == "1 plan is pinned on desk-a; none of them is known to do harm."
    said = pins_sentence("desk-a", ["no longer helps", "helps", "not used", "not used"])
    assert said == "4 plans are pinned on desk-a: 1 no longer helping, 2 not used."
    assert "10% of the cost" in pin_words(replace(PIN, kept_cost=100.0, free_cost=10.0))
    assert "not recorded" in pin_words(replace(PIN, other_s=None))
