"""Is it better now: the change that answers a finding, the figure that it shows in, and what cannot be said yet."""

from __future__ import annotations

from dataclasses import asdict, replace
from typing import Any

import pytest

from hardy_gauge.core.diagnosis.finding import Finding, Impact, Signal, Subject
from hardy_gauge.core.remedies.remedy import IndexChange, Remedy
from hardy_gauge.core.time.span import HOUR_US, MINUTE_US
from hardy_gauge.errors import NotFound
from hardy_gauge.queries.improvement import Improvement, improvement_of
from hardy_gauge.store.database import Store
from hardy_gauge.store.models import Change, StoredFinding
from tests.queries.builder import NOW, Built

TEXT = "SELECT due FROM loan WHERE patron = ?"
SUBJECT = Subject("statement", f"f-{TEXT[:12]}", TEXT)
INDEX = Remedy(
    "index change", "Index loan (patron)", "", "", "at once", [], [], [], index=IndexChange("loan", ["patron"])
)
SLOW = Finding(
    "missing_index", "Missing index", SUBJECT, Impact(1, 1, 1), 0.5, 0.4, 0.6, "act", 0.9, [], [INDEX],
    signal=Signal("statement", SUBJECT.name),
)  # fmt: skip
CHANGED = NOW - 30 * MINUTE_US


def answer(
    store: Store, finding: Finding, ended_us: int | None = None, changes: Any = (), since_us: int = NOW - HOUR_US
) -> Improvement:
    with store.write() as session:
        row = StoredFinding(
            server_id=1, cause=finding.cause, subject=finding.subject.name, since_us=since_us, seen_us=NOW, ended_us=ended_us,
            body=asdict(finding),
        )  # fmt: skip
        session.add(row)
        for at_us, kind, title, name in changes:
            session.add(Change(server_id=1, at_us=at_us, kind=kind, title=title, object=name))
        session.flush()
        number = row.id
    return improvement_of(Built(store).reader, number)


@pytest.fixture
def built(store: Store) -> Built:
    """Calls of 20 ms, and of 1 ms since half an hour."""
    built = Built(store)
    server, statement = built.server("a"), built.statement(TEXT)
    built.calls(server, statement, NOW - 2 * HOUR_US, CHANGED, 5.0, 0.02)
    built.calls(server, statement, CHANGED, NOW, 5.0, 0.001)
    return built


def test_the_change_that_a_remedy_is_about_is_the_moment(store: Store, built: Built) -> None:
    changes = [
        (CHANGED - 10 * MINUTE_US, "setting", "cache changed", "cache"),
        (CHANGED, "schema", "Index loan_patron on loan added", "loan_patron"),
        (NOW - MINUTE_US, "schema", "Table visit added", "visit"),
    ]
    known = answer(store, SLOW, changes=changes)
    assert known.verdict == "better" and known.ratio == pytest.approx(0.05), known
    assert known.sentence.startswith(
        "Yes: since 24 Nov 14:30 (Index loan_patron on loan added), its time per call is 1"
    )
    assert (
        known.focus == "2026-11-24T14:31:00Z/2026-11-24T15:00:00Z"
        and known.reference == "2026-11-24T14:00:00Z/2026-11-24T14:30:00Z"
    )


def test_without_a_change_its_end_is_the_moment(store: Store, built: Built) -> None:
    assert answer(store, SLOW, ended_us=CHANGED).verdict == "better"
    known = answer(store, SLOW)
    assert (
        known.verdict is None
        and known.sentence == "It goes on, and nothing that was changed on a since it began is known."
    )


def test_what_cannot_be_said_yet(store: Store, built: Built) -> None:
    began = answer(store, SLOW, since_us=CHANGED - 2 * MINUTE_US, changes=[(CHANGED, "schema", "loan changed", "loan")])
    assert began.sentence.startswith("It goes on, and nothing"), "what changed at its beginning answers nothing"
    fresh = answer(store, SLOW, since_us=CHANGED - 2 * MINUTE_US, ended_us=CHANGED)
    assert fresh.sentence.startswith("Not known: of the time before")
    early = answer(
        store, SLOW, since_us=NOW - 20 * MINUTE_US, changes=[(NOW - 3 * MINUTE_US, "setting", "cache changed", "cache")]
    )
    assert early.sentence.startswith("Too early to say: 2 minutes since") and early.focus is None


def test_a_finding_that_costs_no_time_is_found_or_not(store: Store, built: Built) -> None:
    unused = replace(SLOW, cause="unused_index", signal=None)
    assert answer(store, unused).sentence.startswith("It goes on")
    assert answer(store, unused, ended_us=CHANGED).sentence == "Yes: it is no longer found since 24 Nov 14:30."
    kept = answer(store, unused, changes=[(CHANGED, "setting", "cache changed", "cache")])
    assert kept.sentence == "Not yet: it is still found after cache changed."


def test_a_figure_is_compared_in_its_own_unit(store: Store, built: Built) -> None:
    built.minutes(1, NOW - 2 * HOUR_US, CHANGED, 8.0)
    built.minutes(1, CHANGED, NOW, 8.0)
    figure = replace(SLOW, signal=Signal("figure", "time_s"), subject=Subject("server", "a"))
    known = answer(store, figure, ended_us=CHANGED)
    assert known.verdict == "no difference shown" and known.sentence.startswith("Not shown: since"), known
    assert "is 8 instead of 8, 1× (1× to 1×)" in known.sentence, known.sentence


def test_no_such_finding(store: Store, built: Built) -> None:
    with pytest.raises(NotFound):
        improvement_of(built.reader, 99)
