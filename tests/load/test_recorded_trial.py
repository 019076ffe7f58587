"""A trial drawn up from what was recorded of a real PostgreSQL: its statements, and values that its tables have."""

from __future__ import annotations

import datetime
import random
import time

import polars as pl
import psycopg
import pytest

from hardy_gauge.capture.access import OPERATOR
from hardy_gauge.capture.collector import Collector
from hardy_gauge.core.plans.readers import read_document
from hardy_gauge.core.time.clock import clock_us
from hardy_gauge.core.time.span import Span
from hardy_gauge.core.time.window import Window
from hardy_gauge.errors import InvalidInput
from hardy_gauge.load.design import BadTrial, read_design
from hardy_gauge.load.kinds import outcome_of
from hardy_gauge.load.pacing import drawer
from hardy_gauge.load.playing import play_trial
from hardy_gauge.load.postgres.recorded import recorded_trial
from hardy_gauge.load.targets import Fleet, open_target
from hardy_gauge.queries.reader import Reader
from hardy_gauge.queries.statement_rows import statement_rows
from hardy_gauge.store import segments
from hardy_gauge.store.database import Store
from hardy_gauge.store.models import Server, Statement
from tests.capture.test_postgresql import collector as collector
from tests.capture.test_postgresql import watched as watched

pytestmark = pytest.mark.postgres
MINUTE_US = 60_000_000


@pytest.fixture
def reader(store: Store, collector: Collector, watched: tuple[psycopg.Connection, str]) -> Reader:
    """Two minutes in which one statement is called twice as often as another, and one writes."""
    recorder, now, owner = collector.recorders[0], clock_us(), watched[0]
    recorder.tick(now)
    for _ in range(2):
        for number in range(40):
            owner.execute("SELECT note FROM loan WHERE patron = %s", [number])
            if number % 2:
                owner.execute("SELECT count(*) FROM loan WHERE due = %s AND id < %s", ["2026-03-01", 9000])
        owner.execute("UPDATE loan SET note = note WHERE id = %s", [3])
        time.sleep(0.7)  # figures of less than half a second are none
        now += MINUTE_US
        recorder.look_again(now)
    collector.write()
    owner.execute("GRANT SELECT ON loan TO gauge")
    return Reader(store, lambda: now + MINUTE_US)


def test_statements_by_weight_and_values_from_the_statistics(
    reader: Reader, watched: tuple[psycopg.Connection, str]
) -> None:
    now = reader.clock()
    found = recorded_trial(reader, Window(Span(now - 5 * MINUTE_US, now)), "reading-room", OPERATOR)
    played = {one["sql"]: one for one in found.design["workload"]["statements"] if "FROM loan" in one["sql"]}
    by_patron, by_due = sorted(played.values(), key=lambda one: -one["weight"])
    assert "patron" in by_patron["sql"] and by_patron["weight"] == pytest.approx(2 * by_due["weight"], rel=0.05)
    assert not any("UPDATE" in sql for sql in played) and any("that write are left out" in one for one in found.told)
    assert by_patron["parameters"] == [{"column": "loan.patron"}], "values stay in the server's statistics"
    assert by_due["parameters"] == [{"column": "loan.due"}, {"column": "loan.id"}]
    assert sum("by the statistics of the server" in one for one in found.told) == 3, found.told
    design = read_design(found.design | {"target": {"server": "reading-room", "confirm": "reading-room"}})
    target = open_target(design, Fleet(reader.store, OPERATOR))
    drawn = {one.sql: [parameter.values for parameter in one.parameters] for one in target.workload.statements}  # type: ignore[attr-defined]
    target.close()
    (patrons,), (due, below) = drawn[by_patron["sql"]], drawn[by_due["sql"]]
    assert len(set(patrons)) > 50 and {int(str(value)) for value in patrons} <= set(range(1000)), (
        "values that are in the column"
    )
    days = {datetime.date.fromisoformat(str(one)) for one in due}
    assert len(days) > 50 and min(days) >= datetime.date(2026, 1, 1) and max(days) <= datetime.date(2026, 10, 27)
    assert all(1 <= int(str(value)) <= 20000 for value in below)


def test_on_rows_made_from_the_statistics_of_the_server(reader: Reader) -> None:
    """The same statements on a PostgreSQL of our own: its tables, as many rows as were asked for, and values that meet rows."""
    now = reader.clock()
    found = recorded_trial(reader, Window(Span(now - 5 * MINUTE_US, now)), "reading-room", OPERATOR).design
    made = {"postgresql": {"server": "reading-room", "rows": 3000}}
    arms = [{"name": "control"}, {"name": "with index", "add_indexes": [{"table": "loan", "columns": ["patron"]}]}]
    design = read_design(found | {"target": made, "arms": arms, "run": {"seconds": "1 s", "blocks": 2}})
    target = open_target(design, Fleet(reader.store, OPERATOR))
    try:
        results = play_trial(design, target, lambda *_: None, lambda _: True)
    finally:
        target.close()
    told = outcome_of(design, results)
    assert all(not run.failed and sum(run.ended) > 50 for run in results)
    assert [one["arm"] for one in told["plans"]["other"]] == ["with index"]
    kept = [step.predicate for run in results for one in run.plans if one for _, step in read_document(one).root.walk()]
    assert any(kept) and not any("'" in str(one) for one in kept), (
        "plans are stored, so no value of a column is in them"
    )
    assert any("rows are made from statistics, of 20,000 that are there" in one for one in told["cautions"]), told[
        "cautions"
    ]
    with pytest.raises(BadTrial) as refused:
        open_target(
            read_design(found | {"target": {"postgresql": {"server": "nowhere"}}}), Fleet(reader.store, OPERATOR)
        )
    assert refused.value.field == "target.postgresql.server"
    lost = [{"sql": "SELECT 1 FROM loan WHERE note = $1", "parameters": [{"column": "loan.colour"}]}]
    with pytest.raises(BadTrial) as refused:
        open_target(
            read_design(found | {"target": made, "workload": {"statements": lost}}), Fleet(reader.store, OPERATOR)
        )
    assert refused.value.field == "workload.statements.0.parameters.0.column"


def test_values_of_executions_that_were_recorded_with_theirs(reader: Reader) -> None:
    """Both values of an execution are drawn together, are looked up at the start, and stand neither in the design nor in plans."""
    now = reader.clock()
    window = Window(Span(now - 5 * MINUTE_US, now))
    (by_due,) = (one for one in statement_rows(reader, window, "reading-room").rows if "due = $1" in one.text)
    texts = [f"SELECT count(*) FROM loan WHERE due = '2026-02-{day:02}' AND id < {5000 + day}" for day in range(1, 29)]
    with reader.store.write() as session:
        statement = session.query(Statement).filter_by(fingerprint=by_due.fingerprint).one().id
        server = session.query(Server).one()
        server.labels = ["lab"]
        at = [clock_us() - number * 1_000_000 for number in range(len(texts))]
        frame = pl.DataFrame({"ended_at_us": at, "duration_s": 0.5, "statement": statement, "text": texts})
        segments.append(session, server.id, "execution", frame)
    found = recorded_trial(reader, window, "reading-room", OPERATOR)
    (mine,) = (one for one in found.design["workload"]["statements"] if "due = $1" in one["sql"])
    assert mine["values_of"] == {"server": "reading-room", "statement": by_due.fingerprint} and "parameters" not in mine
    assert any("28 executions that were recorded with them" in one for one in found.told), found.told
    assert "2026-02" not in str(found.design)
    arms = [{"name": "control"}, {"name": "again"}]
    document = found.design | {"arms": arms, "workload": {"statements": [mine]}, "run": {"seconds": "1 s", "blocks": 2}}
    design = read_design(document)
    target = open_target(design, Fleet(reader.store, OPERATOR))
    (played,) = target.workload.statements  # type: ignore[attr-defined]
    draw = drawer([one.model_dump() for one in played.parameters], random.Random(3))
    target.close()
    for _ in range(50):
        due, below = draw()
        assert int(str(due)[-2:]) == int(str(below)) - 5000, "together"
    made = read_design(document | {"target": {"postgresql": {"server": "reading-room", "rows": 3000}}})
    target = open_target(made, Fleet(reader.store, OPERATOR))
    try:
        results = play_trial(made, target, lambda *_: None, lambda _: True)
    finally:
        target.close()
    assert all(not run.failed and sum(run.ended) > 20 for run in results)
    assert not any("2026-02" in str(one) for run in results for one in run.plans), "plans are stored"
    for target, why in (
        ({"sample": "library"}, "for a PostgreSQL"),
        ({"server": "reading-room"}, "28 executions|0 executions"),
    ):
        wrong = [mine | {"values_of": {"server": "reading-room", "statement": "none"}}]
        with pytest.raises(BadTrial, match=why) as refused:
            open_target(
                read_design(found.design | {"arms": arms, "target": target, "workload": {"statements": wrong}}),
                Fleet(reader.store, OPERATOR),
            )
        assert refused.value.field == "workload.statements.0.values_of"
    with pytest.raises(BadTrial, match="parameters are left out"):
        read_design(found.design | {"workload": {"statements": [mine | {"parameters": [{"low": 1, "high": 2}]}]}})


def test_nothing_recorded_is_said_and_another_engine_refused(reader: Reader) -> None:
    with reader.store.write() as session:
        one = session.query(Server).one()
        session.add(
            Server(
                name="file",
                cluster=one.cluster,
                role="single",
                engine="sqlite",
                engine_version="3",
                address="sqlite:///x.db",
            )
        )
    early = Window(Span(0, MINUTE_US))
    found = recorded_trial(reader, early, "reading-room", OPERATOR)
    assert (
        found.design["workload"]["statements"][0]["sql"] == "SELECT 1" and "No statement that reads" in found.told[-1]
    )
    with pytest.raises(InvalidInput, match="no PostgreSQL"):
        recorded_trial(reader, early, "file", OPERATOR)
