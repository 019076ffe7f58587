"""Trees of waiting and circles against networkx (a general library of graphs); trees and lanes of small made cases by hand."""

from __future__ import annotations

import networkx as nx
import polars as pl
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from hardy_gauge.core.activity.waiting import IDLE, UNSEEN, WORKING
from hardy_gauge.core.activity.waiting_trees import QUIET_US, Waits, circle_in, circles_of, lanes_of, trees_of, waits_of
from hardy_gauge.core.sql.written_table import written_table

SECOND = 1_000_000
Edges = dict[int, list[int]]
NOBODY = pl.DataFrame()


def samples(looks: list[Edges], every_s: int = 1) -> pl.DataFrame:
    rows = [
        {"at_us": n * every_s * SECOND, "session": session, "blockers": blockers or None, "statement": session, "user": "u",
         "service": f"s{session}", "wait_event": "row lock" if blockers else "processor"}
        for n, edges in enumerate(looks) for session, blockers in edges.items()
    ]  # fmt: skip
    return pl.DataFrame(
        rows, schema_overrides={"session": pl.Int64, "blockers": pl.List(pl.Int64), "statement": pl.Int32}
    )


def waits(looks: list[Edges], holders: pl.DataFrame = NOBODY, every_s: int = 1) -> Waits:
    found = waits_of(samples(looks, every_s), holders)
    assert found is not None
    return found


def idle(session: int, looks: int) -> pl.DataFrame:
    at = [n * SECOND for n in range(looks)]
    return pl.DataFrame(
        {"at_us": at, "session": session, "statement": 99, "user": "clerk", "service": "night desk",
         "transaction_began_us": [a - 9 * SECOND for a in at], "idle_since_us": [a - 8 * SECOND for a in at]},
        schema_overrides={"session": pl.Int64, "statement": pl.Int32},
    )  # fmt: skip


def test_a_pause_ends_a_tree_and_begins_another() -> None:
    quiet = QUIET_US // SECOND
    trees = trees_of(waits([{1: [5], 5: []}] * 3 + [{5: []}] * quiet + [{1: [5], 2: [5], 5: []}] * 2))
    assert [(t.root, t.from_us // SECOND, t.until_us // SECOND, t.waited_s, t.most) for t in trees] == [
        (5, 3 + quiet, 5 + quiet, 4.0, 2),
        (5, 0, 3, 3.0, 1),
    ]


def test_a_tree_tells_who_held_what_was_lost_on_and_whom_it_meets() -> None:
    (tree,) = trees_of(waits([{1: [7], 2: [1]}, {1: [7], 2: [1], 3: [1]}], idle(7, 2)))
    assert (tree.doing, tree.user, tree.service, tree.statement) == (IDLE, "clerk", "night desk", 99)
    assert (tree.waited_s, tree.depth, tree.most, tree.waiters, tree.idle_s) == (5.0, 2, 3, 3, 8.0)
    assert tree.lost_on == [(1, "row lock", 2.0), (2, "row lock", 2.0), (3, "row lock", 1.0)]
    assert tree.services == {"s1", "s2", "s3", "night desk"} and tree.users == {"u", "clerk"}


def test_lanes_stand_in_order_of_depth_and_their_stretches_join() -> None:
    one = waits([{1: [7], 2: [1]}, {1: [7], 2: [1]}, {1: [7], 3: [7]}], idle(7, 3))
    (tree,) = trees_of(one)
    lanes = lanes_of(one, tree)
    assert [(lane.session, lane.depth, lane.waited_s) for lane in lanes] == [
        (7, 0, 0.0),
        (1, 1, 3.0),
        (3, 1, 1.0),
        (2, 2, 2.0),
    ]
    assert [(s.from_us, s.until_us, s.doing) for s in lanes[0].stretches] == [(0, 3 * SECOND, IDLE)]
    assert [(s.until_us - s.from_us, s.doing, s.blockers) for s in lanes[3].stretches] == [
        (2 * SECOND, "row lock", [1])
    ]


def test_a_root_that_was_never_seen_has_a_lane_of_its_own() -> None:
    one = waits([{1: [8]}, {1: [8]}])
    (tree,) = trees_of(one)
    assert tree.doing == UNSEEN
    assert [s.doing for s in lanes_of(one, tree)[0].stretches] == [UNSEEN]


def test_a_working_root_shows_when_it_worked() -> None:
    one = waits([{5: []}, {1: [5], 5: []}])
    (tree,) = trees_of(one)
    assert tree.doing == WORKING and tree.from_us == SECOND


def test_nobody_waits() -> None:
    assert waits_of(samples([{1: []}]), NOBODY) is None and waits_of(NOBODY, NOBODY) is None


graphs = st.dictionaries(
    st.integers(1, 9), st.lists(st.integers(1, 12), min_size=1, max_size=3, unique=True), min_size=1, max_size=9
)


@settings(max_examples=200, deadline=None)
@given(graphs)
def test_roots_waiters_and_depth_are_those_of_the_graph(edges: Edges) -> None:
    graph = nx.DiGraph([(session, other) for session, others in edges.items() for other in others])
    ends = {node for node in graph if graph.out_degree(node) == 0}
    trees = {tree.root: tree for tree in trees_of(waits([edges]))}
    assert set(trees) == {end for end in ends if nx.ancestors(graph, end)}
    for root, tree in trees.items():
        assert tree.waiters == len(nx.ancestors(graph, root))
        if nx.is_directed_acyclic_graph(graph):
            mine = graph.subgraph(nx.ancestors(graph, root) | {root})
            assert tree.depth == nx.dag_longest_path_length(mine)
    reaching = [node for node in edges if any(end in nx.descendants(graph, node) for end in ends)]
    assert sum(tree.waited_s for tree in trees.values()) == pytest.approx(len(reaching))


@settings(max_examples=200, deadline=None)
@given(graphs)
def test_a_circle_is_found_where_the_graph_has_one(edges: Edges) -> None:
    graph = nx.DiGraph([(session, other) for session, others in edges.items() for other in others])
    circle = circle_in(edges)
    assert bool(circle) == (not nx.is_directed_acyclic_graph(graph))
    for session, after in zip(circle, [*circle[1:], *circle[:1]], strict=True):
        assert after in edges[session], "each waits for the next"


def test_a_circle_is_told_with_its_moment() -> None:
    found = circles_of(waits([{5: [], 6: [5]}, {1: [2], 2: [1], 3: [1]}]).edges)
    assert [(at, sorted(sessions)) for at, sessions in found] == [(SECOND, [1, 2])]


@pytest.mark.parametrize(
    ("text", "table"),
    [
        ("update loans set due = ? where id = ?", "loans"),
        ("insert into desk.holds (id) values (?)", "holds"),
        ("delete from fines f where f.id = ?", "fines"),
        ("select * from copies where id = ? for update", "copies"),
        ("alter table patrons add column note text", "patrons"),
        ("select * from copies where id = ?", None),
        ("commit", None),
        ("update (", None),
    ],
)
def test_the_table_that_is_written_or_locked(text: str, table: str | None) -> None:
    assert written_table(text) == table


def test_looks_that_are_taken_seldom_are_of_one_tree() -> None:
    """Of a rule that looks every ten seconds, and of one that follows one session in three."""
    for weight, one_in in ((10.0, None), (30.0, 3)):
        frame = samples([{1: [5], 5: []}] * 4, every_s=10).with_columns(weight=pl.lit(weight))
        found = waits_of(frame if one_in is None else frame.with_columns(one_in=pl.lit(one_in)), NOBODY)
        assert found is not None and set(found.every_us.values()) == {10 * SECOND}
        (tree,) = trees_of(found)
        assert (tree.from_us, tree.until_us, tree.waited_s) == (0, 40 * SECOND, 4 * weight)
        assert [(s.from_us, s.until_us) for s in lanes_of(found, tree)[1].stretches] == [(0, 40 * SECOND)]


def test_one_look_that_came_late_does_not_join_what_is_apart() -> None:
    """Looks of a second, of which one stands for twenty: it reaches as far, and no other does."""
    frame = samples([{1: [5], 5: []}, {1: [5], 5: []}, *[{5: []}] * 12, {1: [5], 5: []}])
    weights = [20.0 if at == SECOND else 1.0 for at in frame["at_us"].to_list()]
    early, late = frame.with_columns(weight=pl.Series(weights)), frame.with_columns(weight=pl.lit(1.0))
    joined, apart = waits_of(early, NOBODY), waits_of(late, NOBODY)
    assert joined is not None and apart is not None
    assert [t.from_us // SECOND for t in trees_of(joined)] == [0]
    assert sorted(t.from_us // SECOND for t in trees_of(apart)) == [0, 14]


def test_what_a_root_did_is_what_it_did_while_it_cost_most() -> None:
    one = waits([{1: [7], 2: [7], 3: [7]}, {1: [7]}], idle(7, 1))
    assert [(tree.doing, tree.service) for tree in trees_of(one)] == [(IDLE, "night desk")]
