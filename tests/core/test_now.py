"""What runs now: who stands under whom, and the counts."""

from __future__ import annotations

from collections.abc import Sequence

from hypothesis import given
from hypothesis import strategies as st

from hardy_gauge.core.activity.now import Look, SessionNow, arranged, counted_now, state_of
from hardy_gauge.core.narrative.now import now_sentence, session_words


def session(
    number: int, blockers: Sequence[int] = (), call_s: float | None = 1.0, family: str = "processor"
) -> SessionNow:
    state = state_of(family, blockers)
    return SessionNow(number, state, "u", "s", "d", "", "", 1, "event", family, blockers, call_s, None)


def idle(number: int, transaction_s: float) -> SessionNow:
    return SessionNow(number, "idle in a transaction", "u", "s", "d", "", "", 1, "", "", [], 3.0, transaction_s)


def test_waiters_stand_under_whom_they_wait_for_and_the_rest_by_age() -> None:
    rows = arranged(
        [session(1, [7]), session(2, [1], 5.0), session(3, call_s=9.0), session(4, call_s=0.1), idle(7, 60.0)]
    )
    assert [(depth, one.session) for depth, one in rows] == [(0, 7), (1, 1), (2, 2), (0, 3), (0, 4)]


@given(st.dictionaries(st.integers(1, 8), st.lists(st.integers(1, 10), max_size=3), max_size=8))
def test_every_session_is_shown_once_also_in_circles(edges: dict[int, list[int]]) -> None:
    rows = arranged([session(number, blockers) for number, blockers in edges.items()])
    assert sorted(one.session for _, one in rows) == sorted(edges)


def test_counts_and_what_is_said() -> None:
    look = Look(5, 1.0, [session(1, [7]), session(2, call_s=12.0), session(3, family="data read"), idle(7, 60.0)])
    found = counted_now("desk-a", look, 40, 100)
    assert {one.name: one.count for one in found.states} == {
        "working": 1, "waiting": 1, "waiting for another session": 1, "idle in a transaction": 1,
    }  # fmt: skip
    assert {one.name: one.count for one in found.families} == {"processor": 2, "data read": 1}
    assert (found.long_calls, found.longest_s, found.oldest_transaction_s, found.open, found.limit) == (
        1,
        12.0,
        60.0,
        40,
        100,
    )
    said = now_sentence("desk-a", [found])
    assert said == (
        "On desk-a 1 session works now and 1 waits; 1 more waits for another session; 1 does nothing in an open transaction. "
        "The longest call takes 12.0 s so far."
    )


def test_not_looked_at() -> None:
    nothing = counted_now("desk-b", None, None, None)
    assert nothing.at_us is None and "unknown" in now_sentence("desk-b", [nothing])
    both = now_sentence("fleet", [counted_now("desk-a", Look(5, 1.0, []), None, None), nothing])
    assert both.endswith("Not seen: desk-b.")


def test_ages_that_are_not_reported_are_not_taken_for_short_calls() -> None:
    assert counted_now("a", Look(5, 1.0, [session(1, call_s=None)]), None, None).long_calls is None
    assert counted_now("a", Look(5, 1.0, []), None, None).long_calls == 0


def test_what_each_session_does() -> None:
    said = [
        session_words(one) for one in (session(1, [2, 3, 4]), session(1, family="data read"), session(1), idle(1, 9.0))
    ]
    assert said == ["waits for 2, 3 and 1 more", "waits: data read", "works", "nothing, transaction open"]
