"""What the sheets say first: nothing unknown is called usual, and a sentence is about the focus."""

from __future__ import annotations

from typing import Any

import pytest

from hardy_gauge.core.narrative import setup
from hardy_gauge.core.narrative.comparison import compared, reference_note
from hardy_gauge.core.narrative.fleet import Stand, fleet_sentence, server_words, standing_of
from hardy_gauge.core.narrative.server import ServerFacts, server_sentence
from hardy_gauge.core.reference.shift import Shift
from hardy_gauge.core.reference.typical_day import Typical
from hardy_gauge.core.time.span import DAY_US, HOUR_US, Span
from hardy_gauge.core.time.window import Window

FOCUS = Span(1_795_700_000_000_000, 1_795_700_000_000_000 + HOUR_US)


def stands(**of: int) -> list[Stand]:
    made: dict[str, tuple[Any, Any, str]] = {
        "usual": ("usual", "recording", "as usual"), "failing": ("not recorded", "failing", "does not answer"),
        "new": ("no range", "recording", "busy; no usual range yet"), "file": ("not recorded", "opened", "from a file"),
    }  # fmt: skip
    return [
        Stand(f"{name}-{i}", made[name][0], made[name][1], made[name][2]) for name, n in of.items() for i in range(n)
    ]


@pytest.mark.parametrize(("of", "said"), [
    ({"usual": 3}, "All 3 servers work as usual for this hour."),
    ({"failing": 1, "new": 2}, "Nothing can be called usual or unusual yet; failing-0 does not answer; 2 have no usual range yet."),
    ({"usual": 2, "failing": 1}, "2 of 3 servers work as usual for this hour; failing-0 does not answer."),
    ({"usual": 1, "file": 1}, "1 of 2 servers works as usual for this hour; file-0 came in a file."),
    ({"failing": 2}, "Nothing can be called usual or unusual yet; 2 do not answer."),
    ({}, "No server is recorded yet."),
])  # fmt: skip
def test_unknown_is_never_counted_as_usual(of: dict[str, int], said: str) -> None:
    assert fleet_sentence(stands(**of), None) == said


def test_the_furthest_server_comes_first_and_the_rest_is_counted() -> None:
    first = Stand("desk-a", "unusual", "recording", "5× usual, reading data, since 12:05")
    said = fleet_sentence([first, *stands(usual=2, failing=1)], first)
    assert said == "desk-a is at 5× usual, reading data, since 12:05; 2 as usual; failing-0 does not answer."


def test_a_server_that_fails_stands_nowhere_even_with_a_range() -> None:
    assert standing_of("failing", 1.0, 1.0, None) == "not recorded"
    assert standing_of("recording", None, 1.0, None) == "not recorded"
    assert standing_of("recording", 1.0, None, None) == "no range"
    assert server_words("not recorded", "recording", "recording", None, None, "") == "nothing recorded just now"


def facts(**more: Any) -> ServerFacts:
    given: dict[str, Any] = {
        "name": "desk-a", "focus": FOCUS, "following": False, "value": 1.0, "low": 0.8, "centre": 1.0, "high": 1.2,
        "shift": None, "doing": "waiting for row locks", "root": "", "root_share": 0.0, "first_us": None, "ready_us": None, "capture_words": "",
    }  # fmt: skip
    return ServerFacts(**(given | more))


def test_a_trouble_that_is_over_is_said_in_the_past_and_its_waits_are_not_said_as_now() -> None:
    said = server_sentence(facts(value=4.0, following=True))
    assert (
        said == "desk-a was above usual over this window, at 4× usual on average; at its end it works as usual again."
    )
    assert "row locks" not in said
    shift = Shift(FOCUS.since_us, 5.0, "above")
    assert "since then it was at 5× usual, waiting for row locks" in server_sentence(facts(value=5.0, shift=shift))


def test_the_first_day_says_from_when_on_a_range_stands() -> None:
    said = server_sentence(facts(low=None, centre=None, high=None, ready_us=FOCUS.until_us + DAY_US))
    assert "nothing usual is known of this hour yet; its usual range for this hour stands from" in said


def test_nothing_recorded_is_not_idle() -> None:
    assert server_sentence(facts(value=None)) == "Nothing of desk-a was recorded in this window."
    assert server_sentence(facts(value=0.001)) == "desk-a was idle."


@pytest.mark.parametrize(("value", "reference", "said"), [
    (2.3, Typical(1.0, 0.9, 1.1, 5), "2.3× a typical day"), (1.05, Typical(1.0, 0.99, 1.01, 5), "as usual"),
    (1.5, Typical(1.0, 0.4, 1.6, 5), "as usual"), (3.0, Typical(1.0, 0.4, 4.0, 5), "3× a typical day"),
    (1.5, Typical(1.0, 1.0, 1.5, 1), "1.5× a typical day"), (1.0, None, "no reference"),
    (1.0, Typical(0.0, 0.0, 0.0, 5), "new"), (1.0, Typical(0.0, 0.0, 2.0, 5), "not on most days"),
    (0.0, Typical(0.0, 0.0, 0.0, 5), "as a typical day"),
])  # fmt: skip
def test_comparisons(value: float, reference: Typical | None, said: str) -> None:
    assert compared(value, reference, "a typical day") == said


def test_the_note_says_from_how_many_spans() -> None:
    weeks = [FOCUS.moved(-7 * DAY_US * n) for n in (1, 2, 3, 4)]
    note = reference_note(Window(FOCUS), weeks, 1)
    assert (
        note.startswith("Compared with a typical day: the median of 4 earlier ")
        and "1 with known trouble left out" in note
    )
    assert "without them" in reference_note(Window(FOCUS), weeks, 0, ["a", "b"])


@pytest.mark.parametrize(("said", "words"), [
    (setup.accounts_sentence([]), "The keyring is empty."), (setup.accounts_sentence([["a"], []]), "2 accounts in the keyring, 1 in use"),
    (setup.people_sentence([False, True]), "One person may sign in"), (setup.rules_sentence(0), "No rule: everything is recorded"),
    (setup.rules_sentence(1), "1 rule; the first that matches"), (setup.snapshots_sentence(2), "2 snapshots stored"),
    (setup.imports_sentence(["done", "undone"]), "1 file was imported"), (setup.bundles_sentence(2), "2 bundles are open here"),
    (setup.reports_sentence(0), "No report yet"),
])  # fmt: skip
def test_parts_of_setup(said: str, words: str) -> None:
    assert said.startswith(words) and said.endswith(".")
