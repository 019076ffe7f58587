"""The missing-index rule on literal evidence: when it speaks, when it stays silent, what it proposes."""

from __future__ import annotations

from dataclasses import replace

import pytest

from hardy_gauge.core.diagnosis.finding import Finding
from hardy_gauge.core.diagnosis.rules.access.missing_index import MissingIndex
from hardy_gauge.core.diagnosis.runner import diagnose
from hardy_gauge.core.evidence.evidence import Evidence, Sampled, Samples, Schema, StatementWork, Unknown
from hardy_gauge.core.evidence.schema import ColumnFacts, IndexFacts, TableFacts, Writes
from hardy_gauge.core.plans.model import Plan, Step
from hardy_gauge.core.plans.own_time import fill_own_times
from hardy_gauge.core.reference.typical_day import Typical
from hardy_gauge.core.remedies.index import advise_index
from hardy_gauge.core.sql.predicates import read_uses
from hardy_gauge.core.time.span import Span

COLUMNS = {
    name: ColumnFacts(name, 8, distinct)
    for name, distinct in [("id", 1e6), ("title_id", 5e5), ("state", 5), ("placed_at", 9e5), ("flag", 1)]
}
TABLE = TableFacts(
    "hold", 1e6, 1e8, COLUMNS, [IndexFacts("hold_pk", ("id",), True)], Writes(3.0, 2.0, 1.0, {"state": 2.0})
)
SQL = "SELECT id FROM hold WHERE state = $1 AND title_id = $2 AND flag = 1 ORDER BY placed_at LIMIT 5"


def scan_plan(table: str = "hold") -> Plan:
    scan = Step("scan", "read all", object=table, rows_expected=1, rows_examined=1e6, time_s=1.9)
    return fill_own_times(Plan(Step("sort", "order", time_s=2.0, steps=[scan]), "test", time_s=2.0))


WITH_INDEX = Plan(Step("index lookup", "find", object="hold", index="new", time_s=0.001), "test", time_s=0.001)
WORK = StatementWork(
    "f1", SQL, calls=100, time_s=200, rows_returned=120, rows_examined=1e8, plan=scan_plan(),
    typical_time_per_call_s=Typical(0.002, 0.001, 0.003, 5), typical_examined_per_row=Typical(1.2, 1.0, 1.4, 5),
)  # fmt: skip
SAMPLES = Samples(3.0, 100.0, {"f1": Sampled(1.8, 1.6, 2.0), "f2": Sampled(1.2, 1.0, 1.4)})


def evidence(work: StatementWork = WORK, samples: Samples | Unknown = SAMPLES, table: TableFacts = TABLE) -> Evidence:
    schema = Schema("postgres", {table.name: table})
    return Evidence("desk-a", "practice", Span(0, 100_000_000), 100.0, {"f1": work}, samples, schema)


def only(found: list[Finding]) -> Finding:
    (finding,) = found
    return finding


def test_finding_with_facts_and_a_question() -> None:
    finding = only(MissingIndex().examine(evidence()))
    assert (finding.cause, finding.grade, finding.subject.kind, finding.subject.name) == (
        "missing_index", "act", "statement", "f1",
    )  # fmt: skip
    assert finding.question is not None
    assert finding.question.index.columns == ["title_id", "state", "placed_at"], (
        "most selective first, then the order; constants left out"
    )
    facts = {fact.what: fact for fact in finding.facts}
    assert facts["time per call"].value == 2.0 and facts["time per call"].reference == 0.002
    assert facts["calls"].value == pytest.approx(1.0), "by the seconds that were really counted"


def test_share_and_interval_come_from_the_same_samples() -> None:
    finding = only(MissingIndex().examine(evidence()))
    assert finding.share == pytest.approx(0.6) and finding.impact.value == 1.8
    assert finding.share_low <= finding.share <= finding.share_high
    assert finding.share_low == pytest.approx(1.6 / 3) and finding.share_high == pytest.approx(2 / 3)


def test_confirmed_by_the_server() -> None:
    rule = MissingIndex()
    finding = rule.confirm(only(rule.examine(evidence())), WITH_INDEX)
    assert finding is not None and finding.confidence == 0.95 and finding.question is None
    (remedy,) = finding.remedies
    assert remedy.script == "CREATE INDEX hold_title_id_state_placed_at ON hold (title_id, state, placed_at);"
    assert remedy.undo == "DROP INDEX hold_title_id_state_placed_at;"
    sizes = {fact.what: fact.value for fact in remedy.side_effects}
    assert sizes["size"] == pytest.approx(1e6 * (8 + 24 + 4) / 0.9)
    assert sizes["entries to write"] == pytest.approx(3 + 1 + 2 * 2)
    won = next(fact for fact in remedy.expected if fact.what == "active sessions won back")
    assert won.value == pytest.approx((1 - 0.001 / 2) * 1.8)
    assert won.low == pytest.approx(0.75 * (1 - 0.001 / 2) * 1.6) and won.high == pytest.approx(
        1.25 * (1 - 0.001 / 2) * 2.0
    )


def test_withdrawn_when_the_server_would_not_use_it() -> None:
    rule = MissingIndex()
    assert rule.confirm(only(rule.examine(evidence())), scan_plan()) is None


def test_less_sure_when_the_server_cannot_be_asked() -> None:
    rule = MissingIndex()
    finding = rule.confirm(only(rule.examine(evidence())), None)
    assert finding is not None and finding.confidence == 0.7 and finding.question is None


UPDATES = [
    (Writes(3.0, 2.0, 1.0, {"state": 2.0}), 3 + 1 + 2 * 2), (Writes(3.0, 2.0, 1.0, {"id": 2.0}), 3 + 1),
    (Writes(3.0, 5.0, 1.0), 3 + 1 + 2 * 5),
]  # fmt: skip


@pytest.mark.parametrize(("writes", "entries"), UPDATES)
def test_entries_to_write(writes: Writes, entries: float) -> None:
    assert writes.entries_per_s(["title_id", "state"]) == pytest.approx(entries)


def test_unknown_write_rates_are_said() -> None:
    finding = only(MissingIndex().examine(evidence(table=replace(TABLE, writes=None))))
    (remedy,) = finding.remedies
    assert [fact.what for fact in remedy.side_effects] == ["size"] and "not known" in remedy.cautions[-1]


SILENT = {
    "small share": evidence(samples=Samples(300.0, 100.0, {"f1": Sampled(1.8, 1.6, 2.0)})),
    "never seen in a sample": evidence(samples=Samples(3.0, 100.0, {})),
    "few rows examined": evidence(replace(WORK, rows_examined=5000)),
    "rows examined not reported": evidence(replace(WORK, rows_examined=None)),
    "no scan": evidence(replace(WORK, plan=WITH_INDEX)),
    "unknown table": evidence(replace(WORK, plan=scan_plan("other"))),
    "no plan": evidence(replace(WORK, plan=None)),
    "nothing to narrow by": evidence(replace(WORK, text="SELECT id FROM hold ORDER BY placed_at")),
    "unreadable": evidence(replace(WORK, text="SELECT FROM WHERE (((")),
    "index exists": evidence(
        replace(WORK, text="SELECT id FROM hold WHERE state = $1 AND title_id = $2"),
        table=replace(TABLE, indexes=[IndexFacts("i", ("title_id", "state"), False)]),
    ),
}


@pytest.mark.parametrize("given", SILENT.values(), ids=SILENT.keys())
def test_stays_silent(given: Evidence) -> None:
    found = diagnose(given, [MissingIndex()])
    assert (found.findings, found.silent, found.unknown) == ([], ["missing_index"], [])


def test_unknown_is_an_answer_of_its_own() -> None:
    found = diagnose(evidence(samples=Unknown("sessions were not looked at in this time")), [MissingIndex()])
    assert found.findings == found.silent == []
    assert [(u.cause, u.why) for u in found.unknown] == [("missing_index", "sessions were not looked at in this time")]


def test_range_column_goes_last_and_expressions_are_not_served() -> None:
    sql = "SELECT id FROM hold WHERE placed_at > $1 AND title_id = $2 AND abs(id) = 3"
    uses = read_uses(sql, {"hold": list(COLUMNS)})
    advice = advise_index(uses.tables["hold"], TABLE)
    assert advice is not None and advice.columns == ["title_id", "placed_at"]
    assert uses.tables["hold"].unserved == {"id": "the column is inside an expression"}


def test_a_server_that_counts_no_rows_examined_but_pages() -> None:
    """Whole scans by the plan, and as many pages as they take: 1e8 B are 12,207 pages of 8 KiB, a hundred calls."""
    pages = WORK.calls * TABLE.bytes / 8192
    finding = only(MissingIndex().examine(evidence(replace(WORK, rows_examined=None, pages_requested=pages))))
    fact = next(fact for fact in finding.facts if fact.what.startswith("rows examined"))
    assert fact.value == pytest.approx(1e6 * 100 / 120) and "plan" in fact.source
    few = replace(WORK, rows_examined=None, pages_requested=pages / 10)
    assert MissingIndex().examine(evidence(few)) == [], "it does not read the table to its end"
