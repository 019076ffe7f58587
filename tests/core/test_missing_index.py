"""The missing-index rule: when it speaks, when it stays silent, what it proposes."""

from dataclasses import replace

import pytest

from hardy_gauge.core.advice.finding import ColumnFacts, IndexFacts, StatementFacts, TableFacts
from hardy_gauge.core.advice.index_advice import advise_index
from hardy_gauge.core.advice.rules.missing_index import MissingIndex
from hardy_gauge.core.plans.model import Plan, Step
from hardy_gauge.core.plans.own_time import fill_own_times
from hardy_gauge.core.sql.predicates import read_uses

COLUMNS = {
    name: ColumnFacts(name, 8, distinct)
    for name, distinct in [("id", 1e6), ("title_id", 5e5), ("state", 5), ("placed_at", 9e5), ("flag", 1)]
}
TABLE = TableFacts("hold", 1e6, 1e8, COLUMNS, [IndexFacts("hold_pk", ("id",), True)], 3.0, 1.0, {"state": 2.0})
SQL = "SELECT id FROM hold WHERE state = $1 AND title_id = $2 AND flag = 1 ORDER BY placed_at LIMIT 5"


def scan_plan(table: str = "hold") -> Plan:
    scan = Step("scan", "read all", object=table, rows_expected=1, rows_examined=1e6, time_s=1.9)
    return fill_own_times(Plan(Step("sort", "order", time_s=2.0, steps=[scan]), "test", time_s=2.0))


FACTS = StatementFacts(
    text=SQL, dialect="postgres", calls=100, time_s=200, rows_returned=120, rows_examined=1e8, share=0.6,
    share_low=0.55, share_high=0.65, span_s=100, plan=scan_plan(), tables={"hold": TABLE},
    reference_time_per_call_s=0.002, reference_examined_per_row=1.2,
)  # fmt: skip


def with_index(table: str, columns: list[str]) -> Plan:
    return Plan(Step("index lookup", "find", object=table, index="new", time_s=0.001), "test", time_s=0.001)


def test_finding_with_evidence_and_advice() -> None:
    finding = MissingIndex().check(FACTS, with_index)
    assert finding is not None
    assert finding.cause == "missing_index" and finding.grade == "act" and finding.share == 0.6
    advice = finding.advice[0]
    assert advice.columns == ["title_id", "state", "placed_at"], (
        "most selective first, then the order; constants left out"
    )
    assert advice.script == "CREATE INDEX hold_title_id_state_placed_at ON hold (title_id, state, placed_at);"
    assert advice.way_back == "DROP INDEX hold_title_id_state_placed_at;"
    sizes = {e.what: e.value for e in advice.side_effects}
    assert sizes["size"] == pytest.approx(1e6 * (16 + 24) / 0.9)
    assert sizes["entries to write"] == pytest.approx(3 + 1 + 2 * 2)
    won = {e.what: e.value for e in advice.expected}["active sessions won back"]
    assert won == pytest.approx((1 - 0.001 / 2) * 2.0)


SILENT = {
    "small share": replace(FACTS, share=0.01),
    "few rows examined": replace(FACTS, rows_examined=5000),
    "no scan": replace(FACTS, plan=with_index("hold", [])),
    "unknown table": replace(FACTS, plan=scan_plan("other")),
    "no plan": replace(FACTS, plan=None),
    "nothing to narrow by": replace(FACTS, text="SELECT id FROM hold ORDER BY placed_at"),
    "unreadable": replace(FACTS, text="SELECT FROM WHERE ((("),
    "index exists": replace(
        FACTS,
        tables={"hold": replace(TABLE, indexes=[IndexFacts("i", ("title_id", "state"), False)])},
        text="SELECT id FROM hold WHERE state = $1 AND title_id = $2",
    ),
}


@pytest.mark.parametrize("facts", SILENT.values(), ids=SILENT.keys())
def test_stays_silent(facts: StatementFacts) -> None:
    assert MissingIndex().check(facts, with_index) is None


def test_silent_when_the_server_would_not_use_it() -> None:
    assert MissingIndex().check(FACTS, lambda *_: scan_plan()) is None


def test_less_sure_when_the_server_cannot_be_asked() -> None:
    finding = MissingIndex().check(FACTS, None)
    assert finding is not None and finding.confidence == 0.7


def test_range_column_goes_last_and_expressions_are_not_served() -> None:
    sql = "SELECT id FROM hold WHERE placed_at > $1 AND title_id = $2 AND abs(id) = 3"
    uses = read_uses(sql, {"hold": list(COLUMNS)})
    advice = advise_index(uses.tables["hold"], TABLE)
    assert advice is not None and advice.columns == ["title_id", "placed_at"]
    assert uses.tables["hold"].unserved == {"id": "the column is inside an expression"}
