"""Row estimates against the published worked examples.

Source: PostgreSQL documentation, "Row Estimation Examples" and "Using EXPLAIN" (figures from memory; every
selectivity is recomputed here from the statistics that the text gives).
"""

from __future__ import annotations

import pytest

from practice_fleet.planner.access import Costing, pages_fetched
from practice_fleet.planner.catalogue import Catalogue
from practice_fleet.planner.choose import plan
from practice_fleet.planner.query import Predicate, read
from practice_fleet.planner.statistics import ColumnStatistics, gather, merged, selectivity, truth
from practice_fleet.scenario.data import ColumnSpec, IndexDef, TableSpec
from practice_fleet.scenario.work import StatementSpec

UNIQUE1 = ColumnStatistics(0, 10_000, {}, (0, 993, 1997, 3050, 4040, 5036, 5957, 7057, 8029, 9016, 9995))
FREQUENT = {
    "EJAAAA": 0.00333333, "BBAAAA": 0.003, "CRAAAA": 0.003, "FCAAAA": 0.003, "FEAAAA": 0.003, "GSAAAA": 0.003,
    "JOAAAA": 0.003, "MCAAAA": 0.003, "NAAAAA": 0.003, "WGAAAA": 0.003,
}  # fmt: skip
STRINGU1 = ColumnStatistics(0, 676, FREQUENT, ())


def below(value: str) -> Predicate:
    return Predicate("tenk1", "unique1", "range", f"unique1 < {value}", high=value)


def equal(value: str) -> Predicate:
    return Predicate("tenk1", "stringu1", "equality", f"stringu1 = '{value}'", equals=(value,))


def test_a_range_from_the_histogram() -> None:
    """(1 + (1000 − 993) / (1997 − 993)) / 10 = 0.100697, so 1007 of 10,000 rows."""
    share = selectivity(UNIQUE1, below("1000"))
    assert share == pytest.approx(0.100697, abs=5e-7) and round(share * 10_000) == 1007


def test_a_common_value_and_one_that_is_not() -> None:
    assert selectivity(STRINGU1, equal("CRAAAA")) == 0.003
    other = selectivity(STRINGU1, equal("xxx"))
    assert other == pytest.approx((1 - 0.03033333) / (676 - 10), rel=1e-6) and round(other * 10_000) == 15


def test_a_conjunction_multiplies() -> None:
    share = selectivity(UNIQUE1, below("1000")) * selectivity(STRINGU1, equal("xxx"))
    assert share == pytest.approx(0.0001466, abs=5e-8) and round(share * 10_000) == 1


def test_the_smallest_part_of_the_first_bucket() -> None:
    """unique1 < 50: (50 / 993) / 10 = 0.005035, so 50 rows."""
    assert round(selectivity(UNIQUE1, below("50")) * 10_000) == 50


def tenk() -> dict[str, TableSpec]:
    columns = {
        "unique1": ColumnSpec(distinct=10_000, low=0, high=9999, width=4),
        "unique2": ColumnSpec(distinct=10_000, low=0, high=9999, width=4),
        "filler": ColumnSpec(distinct=10_000, width=232, type="text"),
    }
    indexes = [IndexDef(name="unique2_key", columns=["unique2"], unique=True)]
    return {name: TableSpec(rows=10_000, columns=columns, indexes=indexes) for name in ("tenk1", "tenk2")}


def test_a_join_on_a_unique_column() -> None:
    """unique1 < 50 joined on unique2: 50 × 10,000 × 1/10,000 = 50 rows, by the index of the other table."""
    sql = "SELECT t1.filler, t2.filler FROM tenk1 t1 JOIN tenk2 t2 ON t1.unique2 = t2.unique2 WHERE t1.unique1 < 50"
    node = plan(Catalogue.of(tenk()), StatementSpec(sql=sql, service="s", user="u", rate=1, rhythm="r"), Costing())
    assert round(node.rows_expected) == 50
    assert [step.operation for step in node.walk()] == ["nested loop", "scan", "index lookup"]


def test_without_a_bound_half_the_rows_of_a_large_join_are_hashed() -> None:
    sql = "SELECT t1.filler, t2.filler FROM tenk1 t1 JOIN tenk2 t2 ON t1.unique2 = t2.unique2"
    node = plan(Catalogue.of(tenk()), StatementSpec(sql=sql, service="s", user="u", rate=1, rhythm="r"), Costing())
    assert node.operation in ("hash join", "merge join") and node.rows_expected == pytest.approx(10_000)


def test_pages_fetched_follow_mackert_and_lohman() -> None:
    """min(2TN / (2T + N), T): few rows one page each, many rows every page."""
    assert pages_fetched(1, 1000) == pytest.approx(1, rel=1e-3)
    assert pages_fetched(1000, 1000) == pytest.approx(2000 * 1000 / 3000)
    assert pages_fetched(10**9, 1000) == 1000 and pages_fetched(0, 1000) == 0


SKEWED = ColumnSpec(distinct=1000, common={"waiting": 0.6, "done": 0.3}, null_share=0.05, correlation=0.4)


def test_what_is_gathered_is_what_is_true_when_detail_allows() -> None:
    for value in ("waiting", "done", "7"):
        assert gather(SKEWED, 100).equal(value) == pytest.approx(truth(SKEWED).equal(value))
    coarse = gather(SKEWED, 1)
    assert coarse.common == {"waiting": 0.6} and coarse.equal("done") < 0.001 < truth(SKEWED).equal("done")
    assert gather(SKEWED, 100).rest == pytest.approx(0.05)


@pytest.mark.parametrize(
    ("condition", "share"),
    [
        ("a = 5", 0.01), ("a IN (1, 2, 3)", 0.03), ("a = $1", 0.01), ("a < 51", 0.5), ("a >= 51", 0.5), ("51 > a", 0.5),
        ("a BETWEEN 11 AND 31", 0.2), ("a > 11 AND a < 31", 0.2), ("a < $1", 1 / 3), ("a BETWEEN $1 AND $2", 0.005),
        ("b IS NULL", 0.25), ("b = 1", 0.075), ("c = 'on'", 0.9), ("c = 'off'", 0.1), ("a = -3", 0.01),
        ("lower(c) = 'on'", 0.1),
    ],
)  # fmt: skip
def test_shares_of_every_form_of_condition(condition: str, share: float) -> None:
    columns = {
        "a": ColumnSpec(distinct=100), "b": ColumnSpec(distinct=10, null_share=0.25),
        "c": ColumnSpec(distinct=2, common={"on": 0.9, "off": 0.1}),
    }  # fmt: skip
    table = {"t": TableSpec(rows=1000, columns=columns)}
    query = read(f"SELECT a FROM t WHERE {condition}", {"t": {"a", "b", "c"}})
    assert Catalogue.of(table).expected_share("t", query.predicates) == pytest.approx(share, rel=0.03)


def test_two_bounds_are_one_interval() -> None:
    query = read("SELECT a FROM t WHERE a > 10 AND a < 20 AND a <> 4", {"t": {"a"}})
    assert next((p.form, p.low, p.high) for p in merged(query.predicates)) == ("range", "10", "20")


def test_six_tables_and_what_cannot_be_joined() -> None:
    tables = {}
    for n in range(6):
        columns = {"id": ColumnSpec(distinct=9000 * 3**n), "next_id": ColumnSpec(distinct=8000)}
        index = IndexDef(name=f"t{n}_pk", columns=["id"], unique=True)
        tables[f"t{n}"] = TableSpec(rows=9000 * 3**n, columns=columns, indexes=[index])
    joins = " ".join(f"JOIN t{n} ON t{n}.id = t{n - 1}.next_id" for n in range(1, 6))
    sql = f"SELECT t0.id FROM t0 {joins} WHERE t0.id = 5"
    node = plan(Catalogue.of(tables), StatementSpec(sql=sql, service="s", user="u", rate=1, rhythm="r"), Costing())
    assert [s.table for s in node.walk() if s.table] == ["t0", "t1", "t2", "t3", "t4", "t5"]
    assert {s.operation for s in node.walk() if s.table} == {"index lookup", "index only"}
