"""The ledger by every dimension: filters in and out, a third dimension, what statements count; cuts add up to the whole."""

from __future__ import annotations

import itertools
import random

import polars as pl
import pytest
from sqlalchemy import update

from hardy_gauge.core.activity.ledger import COUNTED_DIMENSIONS, DIMENSIONS
from hardy_gauge.core.time.span import SECOND_US
from hardy_gauge.core.time.window import Window
from hardy_gauge.errors import InvalidInput
from hardy_gauge.queries.ledger import ledger
from hardy_gauge.queries.ledger_question import LedgerQuestion
from hardy_gauge.store.database import Store
from hardy_gauge.store.models import Statement
from tests.queries.builder import HOUR, NOW, Built

WINDOW = Window(HOUR)


@pytest.fixture
def built(store: Store) -> Built:
    """Two servers with sessions drawn at random, a part of what is told of them not known."""
    built, draw = Built(store), random.Random(8)
    read, write = built.statement("SELECT title FROM item"), built.statement("UPDATE loan SET due = ?")
    with store.write() as session:
        session.execute(update(Statement).where(Statement.id == write).values(kind="update"))
    for name in ("a", "b"):
        server = built.server(name)
        rows = [
            {"at_us": HOUR.since_us + draw.randrange(3600) * SECOND_US, "session": draw.randrange(5),
             "statement": draw.choice([read, write, None]), "wait_family": draw.choice(["row lock", "processor"]), "wait_event": "e",
             "user": draw.choice(["u", "v"]), "service": draw.choice(["desk", "loans"]), "database": "d", "route": None,
             "client": draw.choice(["10.0.0.1", None]), "object": draw.choice(["loan", None])}
            for _ in range(400)
        ]  # fmt: skip
        built.rows(server, "sample", pl.DataFrame(rows, schema_overrides={"statement": pl.Int32, "route": pl.String}))
        built.minutes(server, HOUR.since_us, NOW, 1.0)
        built.calls(server, read, HOUR.since_us, NOW, 2.0, 0.1)
        built.calls(server, write, HOUR.since_us, NOW, 0.5, 0.1)
    return built


@pytest.mark.parametrize("by", DIMENSIONS)
def test_every_cut_adds_up_to_the_whole(built: Built, by: str) -> None:
    """And so do a filter and its opposite."""
    whole = ledger(built.reader, WINDOW, "fleet", LedgerQuestion(by="wait_family", against="server")).active_sessions
    against = "server" if by != "server" else "user"
    found = ledger(built.reader, WINDOW, "fleet", LedgerQuestion(by=by, against=against))
    assert found.active_sessions == pytest.approx(whole, rel=1e-9)
    assert sum(c.active_sessions for column in found.mosaic.columns for c in column.cells) == pytest.approx(whole)
    for entry in found.entries[:4]:
        kept = ledger(built.reader, WINDOW, "fleet", LedgerQuestion(by, against, filters={by: [entry.key]}))
        rest = ledger(built.reader, WINDOW, "fleet", LedgerQuestion(by, against, without={by: [entry.key]}))
        assert kept.active_sessions == pytest.approx(entry.active_sessions), entry.key
        assert [one.key for one in kept.entries] == [entry.key]
        assert kept.active_sessions + rest.active_sessions == pytest.approx(whole)


def test_a_third_dimension_is_stepped_through(built: Built) -> None:
    asked = LedgerQuestion("wait_family", "user", through="service")
    whole = ledger(built.reader, WINDOW, "fleet", asked)
    assert {one.key for one in whole.steps} == {"desk", "loans"}
    cells = [cell for column in whole.mosaic.columns for cell in column.cells]
    assert len(cells) == 4 and all(
        sum(part.active_sessions for part in cell.parts) == pytest.approx(cell.active_sessions) for cell in cells
    )
    for step in whole.steps:
        one = ledger(
            built.reader, WINDOW, "fleet", LedgerQuestion("wait_family", "user", through="service", at=step.key)
        )
        assert one.active_sessions == pytest.approx(step.active_sessions) and len(one.steps) == 2
        assert not any(cell.parts for column in one.mosaic.columns for cell in column.cells)


def test_what_statements_count(built: Built) -> None:
    found = ledger(built.reader, WINDOW, "fleet", LedgerQuestion("kind", "server", measure="rows_examined"))
    assert [(one.key, one.active_sessions, one.low, one.high) for one in found.entries] == [
        ("select", pytest.approx(20.0), pytest.approx(20.0), pytest.approx(20.0)),
        ("update", pytest.approx(5.0), pytest.approx(5.0), pytest.approx(5.0)),
    ]
    assert found.unit == "/s" and "25.0 rows examined a second" in found.sentence
    steps = [value for value in found.stack.series["select"] if value is not None]
    assert len(steps) >= 59 and steps[10] == pytest.approx(20.0)
    for by, against in itertools.pairwise(COUNTED_DIMENSIONS):
        one = ledger(built.reader, WINDOW, "fleet", LedgerQuestion(by, against, measure="calls"))
        assert one.active_sessions == pytest.approx(5.0), by
    assert not found.unknown
    built.server("blind", abilities=[])
    assert ledger(built.reader, WINDOW, "fleet", LedgerQuestion()).unknown == ["blind was not recorded"]
    nothing = ledger(built.reader, WINDOW, "fleet", LedgerQuestion("kind", "server", measure="log_bytes"))
    assert not nothing.entries and "do not report" in nothing.sentence
    assert nothing.unknown == ["blind was not recorded", "a, b do not report log written"]


def test_what_cannot_be_asked(built: Built) -> None:
    with pytest.raises(InvalidInput, match="third dimension"):
        ledger(built.reader, WINDOW, "fleet", LedgerQuestion("user", "service", through="user"))
    with pytest.raises(InvalidInput, match="not by wait event"):
        ledger(built.reader, WINDOW, "fleet", LedgerQuestion("wait_event", "service", measure="calls"))
    with pytest.raises(InvalidInput, match="not by client"):
        ledger(
            built.reader, WINDOW, "fleet", LedgerQuestion("user", "service", measure="calls", filters={"client": ["x"]})
        )
