"""Troubles played to the present and diagnosed: the cause is named first, on the right object, and nothing else asks for something.

The examples are those whose traces are documented (docs/practice-fleet-traces.md); the product sees them through a probe alone.
"""

from __future__ import annotations

from pathlib import Path

import pytest

from practice_fleet.scenario.document import Scenario
from practice_fleet.scenario.examples import EXAMPLES
from tests.truth.playing import Diagnosed, diagnosed, shortened

ASKING = ("act", "plan")
# what each is about: a part of the text of its statement, or the name of the object
FIRST = {
    "missing_index": "hold_request",
    "plan_flip": "item_id",
    "new_statement": "renewals",
    "wide_select": "fine",
    "many_small_calls": "card_number",
    "over_fetch": "fine",
    "failing_statement": "INSERT INTO loan",
    "idle_transaction": "branch_day",
    "lock_chain": "branch_day",
    "deadlocks": "branch_day",
    "schema_change_queue": "loan",
    "network_slow": "desk-a",
}
NOTED = {"duplicate_index": "loan_item_id_extra", "stale_statistics": "patron"}


def played(scenario: Scenario, folder: Path, cause: str | None) -> Diagnosed:
    troubles = [] if cause is None else [{"cause": cause, "start_minutes_ago": 40} | EXAMPLES[cause]]
    return diagnosed(shortened(scenario, troubles), ["desk-a"], folder)["desk-a"]


@pytest.mark.parametrize("cause", FIRST)
def test_a_cause_is_named_first_with_its_object(scenario: Scenario, tmp_path: Path, cause: str) -> None:
    found = played(scenario, tmp_path, cause)
    assert found.causes(*ASKING) == [cause], [(f.cause, f.grade, f.title) for f in found.findings]
    first = found.findings[0]
    assert FIRST[cause] in first.subject.text or FIRST[cause] in first.subject.name
    assert first.remedies and first.facts and first.title


@pytest.mark.parametrize("cause", NOTED)
def test_what_costs_no_time_is_noted(scenario: Scenario, tmp_path: Path, cause: str) -> None:
    found = played(scenario, tmp_path, cause)
    assert not found.causes(*ASKING)
    assert [f.subject.name for f in found.findings if f.cause == cause] == [NOTED[cause]]


def test_a_quiet_server_asks_for_nothing(scenario: Scenario, tmp_path: Path) -> None:
    found = played(scenario, tmp_path, None)
    assert not found.causes(*ASKING), [(f.cause, f.title) for f in found.findings]
