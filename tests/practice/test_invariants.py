"""What must hold whatever the figures are (Hypothesis): waits, flows of log, upkeep, spread plans, row locks."""

from __future__ import annotations

import numpy as np
import pytest
import simpy
from hypothesis import given, settings
from hypothesis import strategies as st

from practice_fleet.events.rows import Rows
from practice_fleet.flows.replication import DAY_MINUTES, _Day
from practice_fleet.physics.locks import Hold, hot_rows
from practice_fleet.physics.storage import Others, Volume
from practice_fleet.physics.upkeep import upkeep
from practice_fleet.planner.access import Costing
from practice_fleet.planner.catalogue import Catalogue
from practice_fleet.planner.choose import plan
from practice_fleet.planner.spread import Spread, beside
from practice_fleet.scenario.data import TableSpec
from practice_fleet.scenario.reading import load_scenario, shipped
from practice_fleet.scenario.work import StatementSpec
from tests.practice.bench import table

STATS = load_scenario(shipped()).databases["stats"]
JOIN = "FROM loan_fact f JOIN title_dim t ON t.id = f.title_id JOIN branch_dim b ON b.id = f.branch_id"
QUERIES = [
    f"SELECT t.subject, b.region, count(*) {JOIN} WHERE f.day > $1 GROUP BY t.subject, b.region",
    f"SELECT t.subject {JOIN} WHERE f.day = $1 ORDER BY t.subject",
    f"SELECT count(*) {JOIN} WHERE f.day = $1 AND f.branch_id = 4",
    "SELECT day, branch_id FROM loan_fact WHERE title_id = $1",
    "SELECT day FROM loan_fact WHERE day > 2800 ORDER BY day LIMIT 20",
    "UPDATE title_dim SET subject = $1 WHERE id = $2",
    "DELETE FROM loan_fact WHERE day < 20",
]


def part_of(workers: int) -> Catalogue:
    tables: dict[str, TableSpec] = {
        name: spec.model_copy(update={"rows": spec.rows / workers}) for name, spec in STATS.tables.items()
    }
    return Catalogue.of(tables)


@settings(max_examples=60, deadline=None)
@given(
    st.sampled_from(QUERIES), st.integers(1, 24), st.integers(1, 16), st.integers(1, 400),
    st.sampled_from([0.0, 1e5, 1e7, 1e12]), st.sampled_from([1e6, 1.3e8, 1e12]),
)  # fmt: skip
def test_a_spread_plan_loses_no_rows(
    sql: str, workers: int, slots: int, partitions: int, limit: float, split: float
) -> None:
    spec = StatementSpec(sql=sql, service="s", user="u", rate=1, rhythm="r")
    how = Spread(workers, slots, partitions, limit, split, 64 * 2**20)
    found = plan(part_of(workers), spec, Costing(), None, how)
    alone = plan(Catalogue.of(dict(STATS.tables)), spec, Costing())
    assert found.operation == "gather" and [n.at for n in found.walk()].count("coordinator") == 1
    assert found.rows_true == pytest.approx(alone.rows_true, rel=0.05, abs=workers)
    moved = {"broadcast", "exchange"} & {node.operation for node in found.walk()}
    assert not moved or "JOIN" in sql or "GROUP" in sql
    for node in found.walk():
        figures = [node.demand.processor_s, node.demand.temporary, node.demand.network, node.cost, node.rows_true]
        assert all(np.isfinite(figures)) and min(figures) >= 0
        assert 0 < node.beside <= max(slots, 1)
    least = min(1.0, partitions / workers) / 2  # one partition more than workers leaves half of them waiting
    assert least * 0.999 <= beside(found.below[0]) <= slots * 1.001


@given(st.floats(0.01, 100), st.floats(1, 50), st.floats(0.001, 1000), st.floats(0, 200))
def test_a_hold_is_bounded(lasts: float, cycles: float, patience: float, timeout: float) -> None:
    hold = Hold(lasts, lasts * cycles).cut(timeout)
    whole = {"start_s": np.array([0.0]), "span_s": hold.every_s}
    mean, second, gave_up = (float(part[0]) for part in hold.minutes(patience_s=patience, **whole))
    share = hold.lasts_s / hold.every_s
    assert 0 <= mean <= share * min(patience, hold.lasts_s) + 1e-9
    assert mean**2 <= second * (1 + 1e-9) + 1e-12 and 0 <= gave_up <= share
    longer = [float(part[0]) for part in hold.minutes(patience_s=patience * 2, **whole)]
    assert longer[0] >= mean - 1e-9 and longer[2] <= gave_up + 1e-9, "who is more patient waits longer and fails less"


@given(st.floats(0.1, 500), st.floats(1e-4, 0.5), st.integers(2, 5000), st.integers(1, 8), st.floats(0.01, 100))
def test_hot_rows_are_bounded_and_fewer_rows_are_worse(
    rate: float, hold: float, rows: int, locked: int, patience: float
) -> None:
    few, many = (hot_rows(rate, hold, n, min(locked, rows), False, patience) for n in (rows, rows * 3))
    for found in (few, many):
        assert 0 <= float(found.gave_up) <= 1 and 0 <= float(found.victims) <= 0.5 and float(found.mean) >= 0
        assert float(found.mean) <= locked * patience + 1e-9
    assert float(few.mean) >= float(many.mean) - 1e-9 and float(few.victims) >= float(many.victims) - 1e-12
    assert float(hot_rows(rate, hold, rows, min(locked, rows), True, patience).victims) == 0


@settings(max_examples=40, deadline=None)
@given(st.integers(0, 10_000), st.floats(0, 4), st.floats(0.2, 3), st.integers(0, 1440))
def test_log_is_neither_lost_nor_applied_before_it_came(seed: int, much: float, speed: float, stands: int) -> None:
    rng = np.random.default_rng(seed)
    pages = rng.exponential(1.0, DAY_MINUTES) * much
    capacity = np.where(np.arange(DAY_MINUTES) < stands, 0.0, 60 * speed)
    none = np.zeros(DAY_MINUTES)
    first = _Day(pages, none, pages * 8000, none, none, none, capacity, None)
    second = _Day(pages, none, pages * 8000, none, none, none, capacity, first)
    done = np.diff(second.come - second.left)
    assert (second.left >= 0).all() and (done >= -1e-6).all() and (done <= capacity + 1e-6).all()
    assert second.come[0] == first.come[-1] and second.left[0] == first.left[-1]
    at = np.linspace(0, DAY_MINUTES, 50)
    lag, size = second.lag(at)
    assert (lag >= -1e-6).all() and (size >= -1e-3).all() and (lag <= (at + DAY_MINUTES) * 60 + 1).all()


@given(st.floats(0.005, 1), st.floats(0.001, 500), st.floats(0, 500))
def test_upkeep_costs_less_and_leaves_more_at_a_higher_threshold(threshold: float, dead: float, hours: float) -> None:
    tables = {"t": table(1).model_copy(update={"rows": 1e6})}
    low, high = (upkeep(tables, {"t": dead}, share, None) for share in (threshold, min(1.0, threshold * 1.5)))
    assert high.pages_per_s <= low.pages_per_s + 1e-9 and high.growth["t"] >= low.growth["t"] - 1e-12
    off = upkeep(tables, {"t": dead}, threshold, hours)
    assert off.pages_per_s == 0 and off.growth["t"] >= 1 and 0 <= off.dead_shares["t"] < 1
    assert upkeep(tables, {"t": 0.0}, threshold, hours).growth == {}


@settings(max_examples=80, deadline=None)
@given(st.lists(st.tuples(st.integers(0, 6), st.integers(0, 5)), max_size=80))
def test_rows_always_have_one_holder_and_all_become_free(asked: list[tuple[int, int]]) -> None:
    rows, kept = Rows(simpy.Environment()), {n: set[int]() for n in range(7)}
    for owner, row in asked:
        if owner in rows.waits_for:  # who waits asks for nothing; the one in its way lets go instead
            other = rows.holders[rows.waits_for[owner]]
            for held in [r for r, who in rows.holders.items() if who == other]:
                rows.release(held)
            continue
        if rows.take(owner, row) is not None and rows.closes_circle(owner, row):
            rows.give_up(owner, row)
        waiting = [one for queue in rows.queues.values() for one, _ in queue]
        assert len(waiting) == len(set(waiting)) == len(rows.waits_for)
    while rows.holders:
        rows.release(next(iter(rows.holders)))
    assert not rows.waits_for and not any(rows.queues.values()) and kept


@given(st.lists(st.floats(0, 1e5), min_size=1, max_size=5), st.floats(0, 1))
def test_requests_of_others_add_up_and_scale(pages: list[float], factor: float) -> None:
    volume = Volume(8, 0.002, 2e8, 1 / 900, 1 / 5e7)
    total = Others.none(2)
    for one in pages:
        total = total + Others.of_pages(np.full(2, one), volume)
    assert total.requests == pytest.approx(np.full(2, sum(pages)))
    assert total.channel_s == pytest.approx(total.requests * 0.002)
    assert total.gate_s == pytest.approx(total.requests * max(1 / 900, 8192 / 5e7))
    assert total.scaled(np.full(2, factor)).cut(slice(0, 1)).requests == pytest.approx([sum(pages) * factor])
