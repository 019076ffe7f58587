"""Every check of a plan and of figures: one that trips it, and one near it that must not."""

from __future__ import annotations

import json
from dataclasses import fields, replace
from typing import Any

import pytest

from hardy_gauge.core.checks.registry import EVERY, FIGURE_CHECKS, PLAN_CHECKS, checked_figures, checked_plan
from hardy_gauge.core.checks.sheet import check_sheet
from hardy_gauge.core.evidence.schema import TableFacts
from hardy_gauge.core.handbook.articles import articles
from hardy_gauge.core.plans.readers import read_plan
from hardy_gauge.core.reference.typical_day import Typical
from hardy_gauge.core.statements.rows import StatementRow

TABLES = {"loan": TableFacts("loan", 1e6, 1e8, {}, []), "small": TableFacts("small", 50, 8192, {}, [])}


def node(
    kind: str,
    *below: dict[str, Any],
    rows: float = 1,
    plan_rows: float | None = None,
    loops: float = 1,
    ms: float = 1.0,
    **more: Any,
) -> dict[str, Any]:
    made = {
        "Node Type": kind,
        "Plan Rows": rows if plan_rows is None else plan_rows,
        "Actual Rows": rows,
        "Actual Loops": loops,
        "Actual Total Time": ms,
    }
    return (
        made
        | {name.replace("_", " "): value for name, value in more.items()}
        | ({"Plans": list(below)} if below else {})
    )


def scan(table: str = "loan", **more: Any) -> dict[str, Any]:
    return node("Seq Scan", **more) | {"Relation Name": table}


def lookup(index: str = "loan_patron", condition: str | None = "(patron = 1)", **more: Any) -> dict[str, Any]:
    made = node("Index Scan", **more) | {"Relation Name": "loan", "Index Name": index}
    return made | ({"Index Cond": condition} if condition else {})


def names(root: dict[str, Any], **top: Any) -> set[str]:
    document = [{"Plan": root} | {name.replace("_", " "): value for name, value in top.items()}]
    return {one.check.name for one in checked_plan(read_plan(json.dumps(document)), TABLES)}


SUBPLAN = {"Parent Relationship": "SubPlan", "Subplan Name": "SubPlan 1"}
CASES: dict[str, tuple[Any, Any]] = {
    "plan_reads_far_more": (lambda: names(scan(rows=10, Rows_Removed_by_Filter=500_000)), lambda: names(scan(rows=10_000, Rows_Removed_by_Filter=500_000))),
    "plan_scans_for_few": (lambda: names(scan(rows=3, Rows_Removed_by_Filter=90_000)), lambda: names(scan("small", rows=3, Rows_Removed_by_Filter=50))),
    "plan_index_not_narrowed": (lambda: names(lookup(condition=None, rows=200_000)), lambda: names(lookup(rows=200_000))),
    "plan_index_keeps_few": (lambda: names(lookup(rows=50, Rows_Removed_by_Filter=60_000)), lambda: names(lookup(rows=40_000, Rows_Removed_by_Filter=60_000))),
    "plan_late_filter": (
        lambda: names(node("Hash Join", scan(rows=1000), node("Hash", scan("small", rows=50)), rows=10, Rows_Removed_by_Join_Filter=49_990)),
        lambda: names(node("Hash Join", scan(rows=1000), node("Hash", scan("small", rows=50)), rows=40_000, Rows_Removed_by_Join_Filter=9_000)),
    ),
    "plan_estimate_off": (lambda: names(scan(rows=50_000, plan_rows=100)), lambda: names(scan(rows=50_000, plan_rows=10_000))),
    "plan_spills": (
        lambda: names(node("Sort", scan(rows=9), Sort_Space_Used=90_000, Sort_Space_Type="Disk")),
        lambda: names(node("Sort", scan(rows=9), Sort_Space_Used=900, Sort_Space_Type="Memory")),
    ),
    "plan_many_loops": (
        lambda: names(node("Nested Loop", scan(rows=50_000), lookup(loops=50_000), rows=50_000)),
        lambda: names(node("Nested Loop", scan(rows=500), lookup(loops=500), rows=500)),
    ),
    "plan_cartesian": (
        lambda: names(node("Nested Loop", scan(rows=500), scan("small", rows=50, loops=500), rows=25_000)),
        lambda: names(node("Nested Loop", scan(rows=500), lookup(rows=50, loops=500), rows=25_000)),
    ),
    "plan_repeated_subquery": (
        lambda: names(scan(rows=5000, **{}) | {"Plans": [lookup(loops=5000) | SUBPLAN]}),
        lambda: names(scan(rows=5) | {"Plans": [lookup(loops=5) | SUBPLAN]}),
    ),
    "plan_sort_for_first": (
        lambda: names(node("Limit", node("Sort", scan(rows=90_000), rows=10), rows=10)),
        lambda: names(node("Limit", node("Sort", scan("small", rows=50), rows=10), rows=10)),
    ),
    "plan_workers_missing": (
        lambda: names(node("Gather", scan(rows=9, loops=2), Workers_Planned=2, Workers_Launched=1)),
        lambda: names(node("Gather", scan(rows=9, loops=3), Workers_Planned=2, Workers_Launched=2)),
    ),
    "plan_planning_dear": (lambda: names(lookup(ms=0.2), Planning_Time=9.0, Execution_Time=0.3), lambda: names(lookup(ms=12.0), Planning_Time=9.0, Execution_Time=12.1)),
    "plan_compiling_dear": (
        lambda: names(scan(ms=100.0), JIT={"Timing": {"Total": 80.0}}, Execution_Time=101.0),
        lambda: names(scan(ms=1000.0), JIT={"Timing": {"Total": 80.0}}, Execution_Time=1001.0),
    ),
    "plan_trigger_dear": (
        lambda: names(scan(ms=10.0), Execution_Time=100.0, Triggers=[{"Constraint Name": "fk", "Relation": "loan", "Calls": 900, "Time": 80.0}]),
        lambda: names(scan(ms=90.0), Execution_Time=100.0, Triggers=[{"Constraint Name": "fk", "Relation": "loan", "Calls": 9, "Time": 1.0}]),
    ),
}  # fmt: skip


@pytest.mark.parametrize("check", [one.name for one in PLAN_CHECKS])
def test_a_plan_that_trips_it_and_one_that_must_not(check: str) -> None:
    bad, good = CASES[check]
    assert check in bad()
    assert check not in good()


EMPTY: dict[str, Any] = {field.name: None for field in fields(StatementRow)}
ROW = StatementRow(
    **EMPTY | {
        "fingerprint": "f", "text": "SELECT a FROM loan WHERE b = $1", "kind": "select", "services": [], "users": [], "calls": 1000.0, "calls_per_s": 5.0,
        "time_s": 10.0, "unfinished": 0, "unfinished_s": 0.0, "share": 0.1, "time_per_call_s": 0.01, "rows_returned_per_call": 20.0, "main_family": "processor",
        "families": {"processor": 10.0}, "families_per_call": {}, "difference": "", "first_seen_us": 0,
    }
)  # fmt: skip
FIGURES: dict[str, tuple[dict[str, Any], dict[str, Any]]] = {
    "figures_vary": ({"spread_s": 0.05}, {"spread_s": 0.01}),
    "figures_fail": ({"errors": 40.0}, {"errors": 2.0}),
    "figures_wait_for_locks": ({"families": {"row lock": 5.0}}, {"families": {"row lock": 0.5}}),
    "figures_much_log": ({"log_bytes_per_call": 5e6}, {"log_bytes_per_call": 5e3}),
    "figures_temporary_files": ({"temporary_pages_per_call": 100.0}, {"temporary_pages_per_call": 0.0}),
    "figures_read_much": ({"examined_per_row": 5000.0}, {"examined_per_row": 3.0}),
    "figures_longer": ({"reference_time_per_call_s": Typical(0.002, 0.001, 0.003, 5)}, {"reference_time_per_call_s": Typical(0.008, 0.006, 0.012, 5)}),
    "figures_more_calls": ({"reference_calls_per_s": Typical(1.0, 0.8, 1.2, 5)}, {"reference_calls_per_s": Typical(4.0, 3.0, 6.0, 5)}),
    "figures_planning": ({"planning_per_call_s": 0.02}, {"planning_per_call_s": 0.0001}),
    "figures_one_by_one": ({"rows_returned_per_call": 1.0, "calls_per_s": 900.0, "time_per_call_s": 0.0002}, {"rows_returned_per_call": 1.0, "calls_per_s": 9.0, "time_per_call_s": 0.0002}),
}  # fmt: skip


@pytest.mark.parametrize("check", [one.name for one in FIGURE_CHECKS])
def test_figures_that_trip_it_and_some_that_must_not(check: str) -> None:
    bad, good = FIGURES[check]
    assert check in {one.check.name for one in checked_figures(replace(ROW, **bad))}
    assert check not in {one.check.name for one in checked_figures(replace(ROW, **good))}
    assert not checked_figures(ROW)


def test_a_plan_that_was_not_run_is_checked_too() -> None:
    root = {"Node Type": "Seq Scan", "Relation Name": "loan", "Plan Rows": 40, "Total Cost": 9.0}
    plan = read_plan(json.dumps([{"Plan": root}]))
    assert {one.check.name for one in checked_plan(plan, TABLES)} == {"plan_scans_for_few"}
    assert not checked_plan(read_plan(json.dumps([{"Plan": root | {"Plan Rows": 900_000}}])), TABLES)


def test_every_check_has_its_article_and_says_all_of_it() -> None:
    known = {key for group, key in articles() if group == "check"}
    assert known == {one.name for one in EVERY} and len(known) == len(EVERY) >= 80
    for one in EVERY:
        assert one.why.endswith(".") and one.remedy.endswith(".") and one.safe.endswith(".") and 0.5 <= one.sure <= 1


def test_a_sheet_is_in_order_of_need_and_says_what_it_could_not_look_at() -> None:
    row = replace(ROW, text="SELECT * FROM loan WHERE b = $1", errors=90.0)
    plan = read_plan(json.dumps([{"Plan": {"Node Type": "Seq Scan", "Relation Name": "loan", "Plan Rows": 4}}]))
    found = check_sheet(row, "postgres", {}, plan, TABLES)
    assert [one.about for one in found.rows][:1] == ["figures"] and found.unknown == []
    assert {one.name for one in found.rows} >= {"all_columns", "figures_fail", "plan_scans_for_few"}
    blind = check_sheet(replace(ROW, text="SELEC broken (("), "postgres", None, None, {})
    assert not blind.rows and [one.split(" ")[0] for one in blind.unknown] == ["its", "no", "no"]
