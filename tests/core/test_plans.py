"""Reading plans, own times, and what is said about plans that cannot be read."""

import json

import pytest
from hypothesis import given
from hypothesis import strategies as st

from hardy_gauge.core.plans.model import MalformedPlan
from hardy_gauge.core.plans.own_time import by_key
from hardy_gauge.core.plans.readers import read_document, read_plan
from hardy_gauge.core.plans.sheet import plan_sheet


def step(operation: str, time_s: float | None, *below: dict[str, object], **more: object) -> dict[str, object]:
    return {"operation": operation, "time_s": time_s, "rows_expected": 1, "steps": list(below), **more}


PLAN = step("limit", 1.0, step("nested loop", 0.9, step("scan", 0.7, object="loan"), step("index lookup", 0.15)))


def test_own_time_is_time_without_the_steps_below() -> None:
    plan = read_plan(json.dumps(PLAN))
    assert [round(s.own_time_s or 0, 6) for _, s in plan.root.walk()] == [0.1, 0.05, 0.7, 0.15]
    assert sum(s.own_time_s or 0 for _, s in plan.root.walk()) == pytest.approx(plan.time_s)


def test_steps_that_claim_more_than_the_whole_are_scaled() -> None:
    plan = read_plan(json.dumps(step("sort", 1.0, step("scan", 1.2))))
    owns = [s.own_time_s for _, s in plan.root.walk()]
    assert owns == pytest.approx([0.0, 1.0])


def test_sums_by_operation_and_object() -> None:
    plan = read_plan(json.dumps(PLAN))
    assert by_key(plan, "operation")[0].name == "scan"
    assert {row.name for row in by_key(plan, "object")} == {"loan", "no object"}


def test_same_shape_same_plan_id() -> None:
    slower = json.loads(json.dumps(PLAN))
    slower["time_s"] = 9
    other = json.loads(json.dumps(PLAN))
    other["steps"][0]["steps"][0]["object"] = "item"
    assert read_plan(json.dumps(PLAN)).plan_id == read_plan(json.dumps(slower)).plan_id
    assert read_plan(json.dumps(PLAN)).plan_id != read_plan(json.dumps(other)).plan_id


MALFORMED = [
    ("{", "not JSON"),
    ("[]", "no plan of a known format"),
    ('{"operation": "scan", "steps": [{}]}', "steps.0"),
    ('{"operation": "scan", "steps": [], "rows_expected": -1}', "rows_expected"),
    ('{"operation": "scan", "steps": [], "time_s": "long"}', "time_s"),
    ('{"operation": "scan", "steps": [], "colour": 1}', "colour"),
    ('[{"Plan": {"Plan Rows": 1}}]', "Node Type"),
    ('[{"Plan": {"Node Type": "Seq Scan", "Actual Loops": "x"}}]', "Actual Loops"),
    ('[{"id": 2, "parent": 77, "detail": "SCAN t"}]', "parent"),
]


@pytest.mark.parametrize(("text", "named"), MALFORMED)
def test_malformed_plans_name_the_field(text: str, named: str) -> None:
    with pytest.raises(MalformedPlan, match=named):
        read_plan(text)


JSON = st.recursive(
    st.none() | st.booleans() | st.floats(allow_nan=False) | st.text(max_size=5),
    lambda inner: (
        st.lists(inner, max_size=3)
        | st.dictionaries(
            st.sampled_from(["Plan", "Node Type", "Plans", "operation", "steps", "root", "detail", "id"]), inner
        )
    ),
    max_leaves=12,
)


@given(JSON)
def test_no_document_crashes_a_reader(document: object) -> None:
    try:
        read_plan(json.dumps(document))
    except MalformedPlan as error:
        assert str(error)


def test_parallel_step_time_is_elapsed_not_summed() -> None:
    """Three processes that each took 100 ms beside each other took 100 ms, and their rows add up."""
    worker = {
        "Node Type": "Seq Scan",
        "Relation Name": "t",
        "Actual Total Time": 100.0,
        "Actual Loops": 3,
        "Actual Rows": 10,
        "Plan Rows": 12,
    }
    gather = {
        "Node Type": "Gather",
        "Workers Launched": 2,
        "Actual Total Time": 120.0,
        "Actual Loops": 1,
        "Actual Rows": 30,
        "Plan Rows": 30,
        "Plans": [worker],
    }
    plan = read_plan(json.dumps([{"Plan": gather}]))
    scan = plan.root.steps[0]
    assert (scan.time_s, scan.rows_seen) == (pytest.approx(0.1), 30)
    assert plan.root.own_time_s == pytest.approx(0.02)


def test_rows_that_a_plan_does_not_tell_are_not_zero() -> None:
    """SQLite's EXPLAIN QUERY PLAN has no rows (sqlite.org/eqp.html)."""
    sheet = plan_sheet(read_document([{"id": 2, "parent": 0, "detail": "SCAN loan"}]))
    assert [step.rows_expected for step in sheet.steps] == [None, None]
