"""Trees of waiting against their definition: whoever waits for nobody is a root; a waiting second belongs to its roots."""

from __future__ import annotations

from collections import defaultdict

import polars as pl
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from hardy_gauge.core.activity.waiting import IDLE, UNSEEN, WORKING, roots_of

SECOND = 1_000_000
Edges = dict[int, list[int]]


def samples(looks: list[Edges], weight: float = 1.0) -> pl.DataFrame:
    rows = [
        {"at_us": at * SECOND, "session": session, "blockers": blockers or None, "statement": session, "user": "u",
         "service": f"s{session}", "weight": weight}
        for at, edges in enumerate(looks) for session, blockers in edges.items()
    ]  # fmt: skip
    schema = {"session": pl.Int64, "blockers": pl.List(pl.Int64), "statement": pl.Int32}
    return pl.DataFrame(rows, schema_overrides=schema)


def holders(session: int, looks: int, idle_s: float = 40.0) -> pl.DataFrame:
    at = [n * SECOND for n in range(looks)]
    return pl.DataFrame(
        {"at_us": at, "session": session, "statement": 99, "user": "u", "service": "night desk", "client": "local",
         "transaction_began_us": [a - int((idle_s + 2) * SECOND) for a in at],
         "idle_since_us": [a - int(idle_s * SECOND) for a in at]},
        schema_overrides={"session": pl.Int64, "statement": pl.Int32},
    )  # fmt: skip


NOBODY = pl.DataFrame()


def test_an_idle_holder_is_the_root() -> None:
    (root,) = roots_of(samples([{1: [7], 2: [1]}, {1: [7], 2: [1], 3: [1]}]), holders(7, 2))
    assert (root.doing, root.service, root.statement, root.session) == (IDLE, "night desk", 99, 7)
    assert (root.waited_s, root.most, root.depth, root.last_us) == (5.0, 3, 2, SECOND)
    assert root.idle_s == 40.0 and root.transaction_s == 42.0


def test_a_working_root_and_one_that_was_not_seen() -> None:
    found = roots_of(samples([{1: [5], 5: [], 2: [8]}], weight=2.0), NOBODY)
    assert {(r.doing, r.session, r.waited_s) for r in found} == {(WORKING, 5, 2.0), (UNSEEN, 8, 2.0)}


def test_who_waits_for_two_shares_its_time() -> None:
    found = roots_of(samples([{1: [5, 6], 5: [], 6: []}]), NOBODY)
    assert [r.waited_s for r in found] == [0.5, 0.5]


def test_a_circle_has_no_root_and_ends() -> None:
    assert roots_of(samples([{1: [2], 2: [1]}]), NOBODY) == []
    assert roots_of(samples([{1: []}]), NOBODY) == [] and roots_of(NOBODY, NOBODY) == []


looks = st.lists(
    st.dictionaries(st.integers(1, 9), st.lists(st.integers(1, 9), max_size=3, unique=True), max_size=9), min_size=1, max_size=4
)  # fmt: skip


def by_hand(edges: Edges) -> dict[int, float]:
    """Seconds by root, following each session in turn; 0 stands for sessions that are not seen themselves."""
    waited: dict[int, float] = defaultdict(float)
    for blockers in edges.values():
        seen, ends, todo = set[int](), set[int](), list(blockers)
        while todo:
            one = todo.pop()
            if one not in seen:
                seen.add(one)
                todo += edges.get(one, [])
                if not edges.get(one):
                    ends.add(one)
        for end in ends:
            waited[end if end in edges else 0] += 1 / len(ends)
    return waited


@given(looks)
@settings(deadline=None)
def test_as_by_hand(found: list[Edges]) -> None:
    waited: dict[int, float] = defaultdict(float)
    for edges in found:
        for root, seconds in by_hand(edges).items():
            waited[root] += seconds
    made = {r.session if r.doing == WORKING else 0: r.waited_s for r in roots_of(samples(found), NOBODY)}
    assert made == {root: pytest.approx(seconds) for root, seconds in waited.items()}
