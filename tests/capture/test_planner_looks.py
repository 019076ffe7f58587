"""When what a planner knows is read: at first, an hour after a change, each six hours, and again soon after it failed."""

from __future__ import annotations

from typing import Any

import pytest

from hardy_gauge.capture.backoff import Backoff
from hardy_gauge.capture.planner_looks import AGAIN_US, HOUR_US, PlannerLooks
from hardy_gauge.probes.protocol import PlannerFacts, ProbeError


class Answering:
    """Stands for a probe: it counts how often it is asked, and fails where it is told to."""

    def __init__(self) -> None:
        self.asked, self.fails = 0, False

    def planner_facts(self, keep_values: bool) -> PlannerFacts:
        self.asked += 1
        if self.fails:
            raise ProbeError("no answer")
        return PlannerFacts(at_us=1, values="kept" if keep_values else "replaced", document={}, left_out=[])


@pytest.fixture
def probe() -> Answering:
    return Answering()


@pytest.fixture
def looks(probe: Any) -> PlannerLooks:
    return PlannerLooks(probe, Backoff())


def test_after_changes_and_each_six_hours(probe: Answering, looks: PlannerLooks) -> None:
    assert looks.look(False, False, 0) is not None
    assert looks.look(True, False, HOUR_US - 1) is None, "a change waits for the hour"
    assert looks.look(False, False, HOUR_US) is not None
    assert looks.look(False, False, 6 * HOUR_US) is None and looks.look(False, False, 7 * HOUR_US) is not None
    assert probe.asked == 3
    facts = looks.look(False, True, 7 * HOUR_US + 1)
    assert facts is not None and facts.values == "kept", "another rule is followed at once"


def test_what_failed_is_not_taken_for_known(probe: Answering, looks: PlannerLooks) -> None:
    probe.fails = True
    with pytest.raises(ProbeError):
        looks.look(True, False, 0)
    assert looks.look(False, False, AGAIN_US - 1) is None and not looks.known, "still not known between two tries"
    probe.fails = False
    assert looks.look(False, False, AGAIN_US) is not None and looks.known


def test_a_probe_that_cannot_tell_is_not_asked() -> None:
    nobody: Any = object()
    looks = PlannerLooks(nobody, Backoff())
    assert looks.look(True, True, 0) is None and looks.known
