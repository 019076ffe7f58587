"""Evidence of one server over a window, read from the store into core's tables."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

import polars as pl
from sqlalchemy import select

from hardy_gauge.core.activity.ledger import entries
from hardy_gauge.core.evidence.evidence import Evidence, Sampled, Samples, Schema, StatementWork, Unknown
from hardy_gauge.core.evidence.schema import ColumnFacts, IndexFacts, TableFacts, Writes
from hardy_gauge.core.plans.model import Plan
from hardy_gauge.core.plans.readers import read_document
from hardy_gauge.core.statements.sums import sums
from hardy_gauge.core.time.coverage import seconds
from hardy_gauge.core.time.span import HOUR_US, MINUTE_US, Span
from hardy_gauge.core.time.window import Window
from hardy_gauge.queries import evidence_sources as sources
from hardy_gauge.queries.coverage import covered, sampled
from hardy_gauge.queries.execution_kinds import executions
from hardy_gauge.queries.jobs import jobs_of
from hardy_gauge.queries.log_messages import errors_by_statement
from hardy_gauge.queries.objects import BACK_US, counted_s
from hardy_gauge.queries.pins import pins_of
from hardy_gauge.queries.reader import Reader
from hardy_gauge.queries.samples import read_samples
from hardy_gauge.queries.scope import beside
from hardy_gauge.queries.statements import TypicalStatements, read_intervals, texts_of, typical_statements
from hardy_gauge.store import segments
from hardy_gauge.store.models import Plan as StoredPlan
from hardy_gauge.store.models import Server, Snapshot, Statement

LONG_US, ABOUT_US = HOUR_US, 10 * MINUTE_US
# evidence of so short a time asks for the same rows again and again
HELD_US = 2 * HOUR_US
HELD: tuple[segments.Kind, ...] = ("metric", "statement", "sample", "holder", "message", "table", "index", "execution")
NO_SCHEMA = "the server reports no schema"


def evidence_of(reader: Reader, server: Server, window: Window) -> Evidence:
    """All that is known of a server over the focus, and of its statements in the reference, at one moment of the store."""
    focus = window.focus
    with reader.store.moment() as session:
        if focus.until_us - focus.since_us <= HELD_US:
            segments.hold(session, server.id, focus.since_us - HOUR_US, focus.until_us, HELD)
        return _evidence(reader, server, window)


def _evidence(reader: Reader, server: Server, window: Window) -> Evidence:
    texts, focus, others = texts_of(reader), window.focus, beside(reader, server)
    tables, sequences = sources.tables_and_sequences(reader, server, focus)
    compared = _typical(reader, server, window)
    statements = _statements(reader, server, window, texts, compared)
    return Evidence(
        server=server.name, engine=server.engine, focus=window.focus,
        covered_s=covered(reader, [server], window.focus, "statements")[server.id],
        statements=statements, samples=_samples(reader, server, window.focus, texts),
        schema=schema_of(reader, server, window.focus),
        figures=sources.figures(reader, server, focus), waiting=sources.waiting(reader, server, focus),
        messages=sources.messages(reader, server, focus), settings=sources.settings(reader, server, others), tables=tables,
        sequences=sequences, volumes=sources.volumes(reader, server, focus.until_us), host=sources.host(server),
        changes=sources.changes(reader, server, focus), plan_turns=sources.plan_turns(reader, server, focus), role=server.role, peers=sources.peers(reader, server, others, focus),
        executions=executions(reader, server, focus, texts, statements), clock_skew_s=sources.clock_skew(server, focus),
        oldest=sources.oldest(reader, server, focus), jobs=jobs_of(reader, server, focus, texts),
        watched=sources.watched(reader, server, focus), pins=pins_of(reader, server, focus),
        no_answer=sources.no_answer(server, focus), silent_beside=sources.silent_beside(others, focus),
        beside=sources.changes_beside(reader, others, focus), gone=_gone(compared, texts, statements),
    )  # fmt: skip


def _typical(reader: Reader, server: Server, window: Window) -> TypicalStatements:
    """What is usual of its statements. Over a long focus that follows the present, within five minutes of the exact time of day, so
    that it is computed every ten minutes and not each.
    """
    focus = window.focus
    if window.reference.kind != "typical day" or focus.until_us - focus.since_us < LONG_US:
        return typical_statements(reader, [server], window)
    until = round(focus.until_us / ABOUT_US) * ABOUT_US
    about = replace(window, focus=focus.moved(until - focus.until_us))
    return reader.kept_as(
        ("typical statements", server.id), about.focus, lambda: typical_statements(reader, [server], about)
    )


def _statements(
    reader: Reader, server: Server, window: Window, texts: dict[int, Statement], compared: TypicalStatements
) -> dict[str, StatementWork] | Unknown:
    frame = read_intervals(reader, [server], window.focus)
    if frame.is_empty():
        if "statements" not in server.abilities:
            return Unknown("the server does not count statements")
        counted = covered(reader, [server], window.focus, "statements")[server.id]
        return {} if counted else Unknown("statements were not counted in this time")
    in_order = frame.sort("at_us").select("statement", "plan_key")
    last_plan = dict(in_order.group_by("statement", maintain_order=True).agg(pl.col("plan_key").last()).iter_rows())
    typical = compared.by_statement
    services = dict(frame.group_by("statement").agg(pl.col("service").drop_nulls().mode().sort().first()).iter_rows())
    variations = _variations(frame)
    failed = errors_by_statement(reader, [server], window.focus) or {}
    found = {}
    for row in sums(frame, ["statement"]).iter_rows(named=True):
        statement = texts.get(row["statement"])
        if statement is None or not row["calls"]:
            continue
        before = typical.get(statement.id)
        found[statement.fingerprint] = StatementWork(
            statement.fingerprint, statement.text, row["calls"], row["time_s"], row["rows_returned"] or 0.0,
            row["rows_examined"], latest_plan(reader, server.id, statement.id, last_plan.get(statement.id)),
            before.time_per_call_s if before else None, before.examined_per_row if before else None,
            row["pages_requested"], before.calls_per_s if before else None, before.rows_per_call if before else None,
            row["errors"] if row["errors"] is not None else failed.get(statement.id), row["temporary_pages"], row["log_bytes"],
            (before is not None) if compared.spans.known else None, services.get(statement.id) or "", variations.get(statement.id),
            before.time_per_s if before else None,
        )  # fmt: skip
    return found


def _gone(
    compared: TypicalStatements, texts: dict[int, Statement], called: dict[str, StatementWork] | Unknown
) -> list[str]:
    """Texts of statements that are called on days like this, and were not called now."""
    if isinstance(called, Unknown):
        return []
    known = [texts[number] for number in compared.by_statement if number in texts]
    return [one.text for one in known if one.fingerprint not in called]


def _variations(frame: pl.DataFrame) -> dict[int, float]:
    """By statement: √(Σ(Σt² − (Σt)²/n) ÷ Σ((Σt)²/n)) over its intervals, so that a change from one to the next counts for nothing."""
    if "squares_s2" not in frame.columns:
        return {}
    between = pl.col("time_s") ** 2 / pl.col("calls")
    known = frame.filter(pl.col("calls") > 0, pl.col("squares_s2").is_not_null(), pl.col("time_s") > 0)
    rows = known.group_by("statement").agg(
        (pl.col("squares_s2") - between).clip(lower_bound=0.0).sum().alias("within"), between.sum().alias("between")
    )  # fmt: skip
    return {number: (within / mean) ** 0.5 for number, within, mean in rows.iter_rows() if mean > 0}


def _samples(reader: Reader, server: Server, focus: Span, texts: dict[int, Statement]) -> Samples | Unknown:
    looked = seconds(sampled(reader, [server], focus)[server.id])
    if not looked:
        known = "sessions" in server.abilities
        return Unknown("sessions were not looked at in this time" if known else "the server does not report sessions")
    rows = entries(read_samples(reader, [server], focus, ["statement"]), ["statement"], looked)
    if rows.is_empty():
        return Samples(0.0, looked, {})
    by_statement = {
        texts[row["statement"]].fingerprint: Sampled(row["active_sessions"], row["low"], row["high"])
        for row in rows.iter_rows(named=True)
        if row["statement"] in texts
    }
    seen = read_samples(reader, [server], focus, ["statement", "wait_family"])
    families = entries(seen, ["wait_family"], looked)
    by_family = {
        row["wait_family"]: Sampled(row["active_sessions"], row["low"], row["high"])
        for row in families.iter_rows(named=True)
    }
    locks = entries(seen.filter(pl.col("wait_family") == "row lock"), ["statement"], looked)
    row_locks = {
        texts[row["statement"]].fingerprint: row["active_sessions"]
        for row in locks.iter_rows(named=True)
        if row["statement"] in texts
    }
    return Samples(float(rows["active_sessions"].sum()), looked, by_statement, by_family, row_locks)


def schema_of(reader: Reader, server: Server, focus: Span) -> Schema | Unknown:
    """Tables with their statistics as last reported, and the writes done to them over the focus."""
    with reader.store.read() as session:
        row = session.get(Snapshot, (server.id, "schema"))
    if row is None:
        return Unknown(NO_SCHEMA)
    writes = writes_of(reader, server, focus)
    return Schema(row.body["dialect"], {t["name"]: _table(t, writes.get(t["name"])) for t in row.body["tables"]})


def _table(t: dict[str, Any], writes: Writes | None) -> TableFacts:
    columns = {c["name"]: ColumnFacts(c["name"], c["width_bytes"], c["distinct"] or 0.0) for c in t["columns"]}
    indexes = [
        IndexFacts(i["name"], tuple(i["columns"]), i["unique"])
        for i in t["indexes"]
        if not i.get("predicate") and i.get("valid", True)
    ]
    return TableFacts(t["name"], t["rows"], t["bytes"], columns, indexes, writes)


def writes_of(reader: Reader, server: Server, span: Span) -> dict[str, Writes]:
    """Rows written a second to each table, from what was counted within the span; without those not counted there."""
    with reader.store.read() as session:
        since = min(span.since_us, span.until_us - BACK_US)
        frame = segments.read(session, [server.id], "table", since, span.until_us)
    passed = counted_s(reader, server, frame, span)
    frame = frame.filter(pl.col("at_us") >= span.since_us) if len(frame) else frame
    if frame.is_empty() or passed <= 0 or "inserts" not in frame.columns:
        return {}
    found = {}
    for (name,), mine in frame.partition_by("table", as_dict=True).items():
        whole = mine.filter(pl.col("column").is_null())
        if whole["inserts"].drop_nulls().is_empty():
            continue
        counted = {c: float(whole[c].sum()) / passed for c in ("inserts", "updates", "deletes")}
        columns = mine.drop_nulls("column").group_by("column").agg(pl.col("updates").sum())
        found[str(name)] = Writes(
            counted["inserts"], counted["updates"], counted["deletes"], {c: n / passed for c, n in columns.iter_rows()}
        )
    return found


def latest_plan(reader: Reader, server_id: int, statement_id: int, plan_key: str | None) -> Plan | None:
    """The stored plan of a statement that was in use last."""
    with reader.store.read() as session:
        query = select(StoredPlan).where(StoredPlan.server_id == server_id, StoredPlan.statement_id == statement_id)
        if plan_key is not None:
            query = query.where(StoredPlan.plan_key == plan_key)
        row = session.scalars(query.order_by(StoredPlan.taken_us.desc())).first()
    return None if row is None else read_document(row.body)
