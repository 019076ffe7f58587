"""Figures of the user's own against their limits, on literal series."""

from __future__ import annotations

from typing import Any

import pytest

from hardy_gauge.core.diagnosis.rules.work.watched_figure import WatchedFigure
from hardy_gauge.core.evidence.sources import WatchedValues
from tests.core.test_more_rules import seen

MINUTE = 60_000_000


def watched(*values: float, column: str = "own.holds", **limits: Any) -> WatchedValues:
    given = {"least": None, "most": None} | limits
    times = [MINUTE * n for n in range(len(values))]
    return WatchedValues(column, "Holds without a copy", "", given["least"], given["most"], times, values)


@pytest.mark.parametrize(
    ("values", "limits", "since"),
    [
        ((1, 5, 9, 9, 9), {"most": 8}, 2),
        ((9, 9, 9), {"most": 8}, 0),
        ((9, 9, 7, 9, 9), {"most": 8}, None),  # only two minutes in a row
        ((9, 9, 9, 8), {"most": 8}, None),  # at its limit again
        ((5, 1, 1, 1), {"least": 2}, 1),
        ((9, 9, 9), {"least": 2, "most": 10}, None),
        ((1, 11, 1), {"least": 2, "most": 10}, 0),  # outside on either side
    ],
)
def test_three_minutes_in_a_row_outside_its_limits(values: tuple[float, ...], limits: Any, since: int | None) -> None:
    found = WatchedFigure().examine(seen(watched=[watched(*values, **limits)]))
    if since is None:
        assert not found
        return
    (one,) = found
    assert one.grade == "plan" and one.signal is not None and one.signal.at_us == since * MINUTE
    assert ("above" if values[-1] > limits.get("most", 99) else "below") in one.title and one.facts[0].value == values[
        -1
    ]


def test_what_gives_no_value_is_not_taken_for_fine() -> None:
    (one,) = WatchedFigure().examine(seen(watched=[watched(most=8)]))
    assert one.title == "No value of Holds without a copy, which has a limit" and one.grade == "note"


def test_several_labels_are_one_finding() -> None:
    labels = [watched(9, 9, 9, column="own.holds.quay", most=8), watched(20, 20, 20, column="own.holds.mill", most=8)]
    (one,) = WatchedFigure().examine(seen(watched=labels))
    assert one.title.endswith("and 1 more are outside theirs") and [fact.value for fact in one.facts] == [9, 20]
