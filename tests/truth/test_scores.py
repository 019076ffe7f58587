"""Drawn scenarios of causes, one each, and servers without trouble: the aims of the diagnosis. Every second cause in `make test`, all of them
in `make truth`; ``make scores`` is the long run."""

from __future__ import annotations

import os

import pytest

from tests.truth.generator.cases import CAUSES, QUIET
from tests.truth.generator.drawing import case_of, quiet_case
from tests.truth.generator.scoring import ONSET_S, outcome_of

SEED = 3
PARTS = 6  # so that several processes share them


@pytest.mark.parametrize("part", range(0, PARTS, 1 if os.environ.get("FULL") else 2))
def test_causes_are_named_first_on_the_right_object(part: int) -> None:
    cases = [case for cause in CAUSES[part::PARTS] if (case := case_of(SEED, cause)) is not None]
    outcomes = [outcome_of(case) for case in cases]
    wrong = [(one.case.label, one.causes[:3]) for one in outcomes if one.place != 0]
    assert len(cases) >= 0.85 * len(CAUSES[part::PARTS]) and len(wrong) <= 1, wrong
    missed = [(one.case.label, one.causes[:3]) for one in outcomes if one.place is None or one.place > 2]
    assert len(missed) <= 1, missed
    assert sum(one.right_subject for one in outcomes) >= 0.9 * len(outcomes)
    onsets = [abs(one.onset_off_s) <= ONSET_S for one in outcomes if one.onset_off_s is not None]
    assert sum(onsets) >= 0.85 * len(onsets)


def test_servers_without_trouble_ask_for_nothing() -> None:
    outcomes = [outcome_of(quiet_case(look)) for look in range(2 * len(QUIET))]
    assert not [(one.case.label, one.causes) for one in outcomes if one.false_alarms]


def test_what_advice_would_win_back_is_won_in_a_trial() -> None:
    """One pair; `make calibration` is the long run."""
    case = case_of(SEED, next(cause for cause in CAUSES if cause.name == "missing_index"))
    assert case is not None
    effect = outcome_of(case, effects=True).effect
    assert effect is not None and effect.by == "trial" and effect.holds, effect
