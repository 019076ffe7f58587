"""The planner: published costs, which access path wins, and what it refuses.

Source of the costs: PostgreSQL documentation, "Using EXPLAIN" (345 pages and 10,000 rows cost 445.00;
figures from memory).
"""

import pytest

from hardy_gauge.probes.protocol import IndexSpec, Refused
from practice_fleet.planner.access import Costing, scan_cost
from practice_fleet.planner.catalogue import Catalogue
from practice_fleet.planner.choose import plan
from practice_fleet.planner.plan import Node
from practice_fleet.scenario.document import Scenario
from practice_fleet.scenario.work import StatementSpec

COSTING = Costing(random_page=4.0, sort_memory=4 * 2**20)


def planned(
    scenario: Scenario, sql: str, without: tuple[str, ...] = (), costing: Costing = COSTING, **more: float
) -> Node:
    catalogue = Catalogue.of(scenario.databases["desk"].tables, without)
    return plan(catalogue, StatementSpec(sql=sql, service="s", user="u", rate=1, rhythm="branches", **more), costing)


def operations(node: Node) -> list[str]:
    return [n.operation for n in node.walk()]


def test_published_scan_cost() -> None:
    assert scan_cost(345, 10_000, 0) == pytest.approx(445.0)


CASES = [
    ("SELECT id FROM loan WHERE id = 1", ["index only"]),
    ("SELECT id, due_on FROM loan WHERE id = 1", ["index lookup"]),
    ("SELECT id FROM loan WHERE renewals = 2", ["scan"]),
    (
        "SELECT patron_id FROM loan WHERE due_on = $1 AND branch_id = $2 ORDER BY patron_id",
        ["sort", "index pages in order"],
    ),
    ("SELECT due_on, id FROM loan WHERE patron_id = $1 ORDER BY due_on LIMIT 3", ["limit", "index lookup"]),
    ("SELECT branch_id, count(*) FROM item GROUP BY branch_id", ["aggregate", "scan"]),
    ("INSERT INTO fine (patron_id) VALUES (1)", ["insert"]),
    ("UPDATE loan SET renewals = 1 WHERE id = 2", ["update", "index lookup"]),
    (
        "SELECT h.note, p.notify_by FROM hold_request h JOIN patron p ON p.id = h.patron_id WHERE h.title_id = $1",
        ["nested loop", "index pages in order", "index lookup"],
    ),
    ("SELECT l.id, i.shelf FROM loan l JOIN item i ON i.id = l.item_id", ["hash join", "scan", "scan"]),
]


@pytest.mark.parametrize(("sql", "expected"), CASES)
def test_access_path(scenario: Scenario, sql: str, expected: list[str]) -> None:
    assert operations(planned(scenario, sql)) == expected


def test_losing_the_index_means_a_scan(scenario: Scenario) -> None:
    sql = scenario.databases["desk"].statements["waiting_holds"].sql
    assert "scan" not in operations(planned(scenario, sql))
    without = planned(scenario, sql, without=("hold_request_title",))
    assert operations(without) == ["limit", "sort", "nested loop", "scan", "index lookup"]
    assert without.key() != planned(scenario, sql).key()


def test_cheap_random_pages_favour_the_index(scenario: Scenario) -> None:
    sql = "SELECT shelf FROM item WHERE title_id > $1"
    dear = planned(scenario, sql, costing=Costing(400.0, 4 * 2**20))
    cheap = planned(scenario, sql, costing=Costing(0.1, 4 * 2**20))
    assert (operations(dear), operations(cheap)) == (["scan"], ["index lookup"])


def test_true_rows_can_differ_from_the_estimate(scenario: Scenario) -> None:
    node = planned(scenario, "SELECT id FROM loan WHERE item_id = 1 AND due_on = $1", matching_rows=500)
    assert node.rows_true == 500 and node.rows_expected < 1


def test_large_sort_spills_to_temporary_files(scenario: Scenario) -> None:
    sql = "SELECT id, shelf FROM item ORDER BY shelf"
    spilled = planned(scenario, sql, costing=Costing(4.0, 2**20))
    kept = planned(scenario, sql, costing=Costing(4.0, 2**32))
    assert spilled.demand.temporary > 0 == kept.demand.temporary


REFUSED = [
    ("SELECT id FROM nowhere", "no table 'nowhere'"),
    ("SELECT colour FROM loan", "column 'colour'"),
    ("SELECT x.id FROM loan l", "'x' names no table"),
    ("SELECT id FROM (SELECT id FROM loan) q", "sub-queries"),
    ("VACUUM", "no plan here"),
    ("SELECT FROM WHERE", "cannot be parsed"),
]


@pytest.mark.parametrize(("sql", "words"), REFUSED)
def test_what_cannot_be_planned_is_named(scenario: Scenario, sql: str, words: str) -> None:
    with pytest.raises(Refused, match=words):
        planned(scenario, sql)


def test_index_on_a_missing_column_is_refused(scenario: Scenario) -> None:
    with pytest.raises(Refused, match="has no column colour") as refused:
        Catalogue.of(scenario.databases["desk"].tables).with_indexes([IndexSpec(table="loan", columns=["colour"])], [])
    assert refused.value.field == "add_indexes.columns"
    with pytest.raises(Refused, match="no index 'x'"):
        Catalogue.of(scenario.databases["desk"].tables).with_indexes([], ["x"])
