"""All statements of a scope over the focus, with calls that have not finished, compared with the reference."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any

import polars as pl

from hardy_gauge.core.activity.ledger import time_spent
from hardy_gauge.core.figures.catalogue import SQUARES
from hardy_gauge.core.narrative.comparison import compared
from hardy_gauge.core.narrative.statements import blind_words, statements_sentence
from hardy_gauge.core.statements.ratios import examined_per_row, per_call, spread
from hardy_gauge.core.statements.rows import StatementRow, Statements
from hardy_gauge.core.statements.sums import families, sums
from hardy_gauge.core.statements.unfinished import LAST_LOOK_US, Unfinished, unfinished_calls
from hardy_gauge.core.time.span import Span
from hardy_gauge.core.time.window import Window
from hardy_gauge.queries.coverage import covered, is_young
from hardy_gauge.queries.log_messages import errors_by_statement
from hardy_gauge.queries.reader import Reader
from hardy_gauge.queries.samples import read_samples
from hardy_gauge.queries.scope import servers_in
from hardy_gauge.queries.statements import (
    UNKNOWN,
    TypicalWork,
    read_intervals,
    sampled_services,
    texts_of,
    typical_statements,
)
from hardy_gauge.store.models import Server, Statement


@dataclass(frozen=True)
class _Seen:
    """What session samples add to counters: calls that run, services, wait families by share."""

    running: Mapping[int, Unfinished]
    services: Mapping[int, list[str]]
    families: Mapping[int, dict[str, float]]
    blind: str


def statement_rows(reader: Reader, window: Window, scope: str, search: str = "") -> Statements:
    """Statements by time; ``search`` keeps those whose text holds it."""
    servers = servers_in(reader, scope)
    frame = read_intervals(reader, servers, window.focus)
    seen = _seen(reader, servers, window.focus)
    totals = sums(frame, ["statement"])
    by_server = sums(frame, ["statement", "server_id"])
    seconds = covered(reader, servers, window.focus, "statements")
    rates: dict[int, float] = {}
    users: dict[int, list[str]] = {}
    services: dict[int, set[str]] = {}
    if len(frame):
        for statement, server_id, calls in by_server.select("statement", "server_id", "calls").iter_rows():
            if seconds.get(server_id):
                rates[statement] = rates.get(statement, 0.0) + calls / seconds[server_id]
        for statement, user, service in frame.select("statement", "user", "service").unique().iter_rows():
            users.setdefault(statement, []).append(user)
            services.setdefault(statement, set()).add(service)
    counted = {row["statement"]: row for row in totals.iter_rows(named=True)}
    typical = typical_statements(reader, servers, window)
    texts = texts_of(reader)
    failed = errors_by_statement(reader, servers, window.focus)
    whole = sum(row["time_s"] or 0.0 for row in counted.values()) + sum(r.seconds for r in seen.running.values())
    found = []
    for statement in {*counted, *seen.running}:
        text = texts.get(statement)
        if statement == UNKNOWN or text is None or search.lower() not in text.text.lower():
            continue
        named = {s for s in services.get(statement, ()) if s} or set(seen.services.get(statement, ()))
        found.append(
            _row(
                text, counted.get(statement), rates.get(statement, 0.0), seen, typical.by_statement.get(statement), whole,
                sorted({u for u in users.get(statement, ()) if u}), sorted(named), window.reference.name,
                typical.spans.known, None if failed is None else failed.get(statement, 0.0),
            )
        )  # fmt: skip
    found.sort(key=lambda row: (-row.time_s, row.fingerprint))
    note = typical.spans.note()
    young = not found and is_young(reader, servers, window.focus.until_us)
    sentence = statements_sentence(scope, found, bool(search), young)
    return Statements(sentence, note, seen.blind, scope, window.focus.seconds, found)


def _seen(reader: Reader, servers: Sequence[Server], focus: Span) -> _Seen:
    columns = ["statement", "wait_family", "service", "began_us", "session"]
    samples = read_samples(reader, servers, focus, columns)
    sampled = any(covered(reader, servers, focus, "samples").values())
    reports = any("call_begin" in server.abilities for server in servers)
    last = samples.filter(pl.col("at_us") >= focus.until_us - LAST_LOOK_US) if len(samples) else samples
    running = len(last.filter(pl.col("at_us") == pl.col("at_us").max().over("server_id"))) if len(last) else 0
    shares: dict[int, dict[str, float]] = {}
    if len(samples):
        by = samples.group_by("statement", "wait_family").agg(time_spent(samples).alias("n"))
        for statement, family, share in by.with_columns(pl.col("n") / pl.col("n").sum().over("statement")).iter_rows():
            shares.setdefault(statement, {})[family] = share
    return _Seen(
        unfinished_calls(samples, focus), sampled_services(samples), shares, blind_words(sampled, reports, running)
    )


def _row(
    statement: Statement, row: Mapping[str, Any] | None, calls_per_s: float, seen: _Seen, typical: TypicalWork | None,
    whole: float, users: list[str], services: list[str], reference: str, reference_known: bool, errors: float | None,
) -> StatementRow:  # fmt: skip
    running = seen.running.get(statement.id, Unfinished(0, 0.0))
    counted = dict(row) if row is not None else {}
    calls, finished_s = counted.get("calls") or 0.0, counted.get("time_s") or 0.0
    shares = seen.families.get(statement.id, {})
    split = families({**counted, "time_s": finished_s}, shares) if counted else {}
    split = split or {family: share * running.seconds for family, share in shares.items()}
    time_per_call = per_call(calls, finished_s)
    usual = typical.time_per_call_s if typical else None
    difference = "no reference" if not reference_known else "new"
    if usual is not None:
        difference = compared(time_per_call, usual, reference) if time_per_call is not None else "none finished"
    return StatementRow(
        fingerprint=statement.fingerprint, text=statement.text, kind=statement.kind, services=services, users=users,
        calls=calls, calls_per_s=calls_per_s, time_s=finished_s + running.seconds, unfinished=running.calls,
        unfinished_s=running.seconds, share=(finished_s + running.seconds) / max(whole, 1e-9), time_per_call_s=time_per_call,
        rows_returned_per_call=per_call(calls, counted.get("rows_returned")),
        rows_examined_per_call=per_call(calls, counted.get("rows_examined")),
        examined_per_row=examined_per_row(calls, counted.get("rows_returned"), counted.get("rows_examined")),
        pages_read_per_call=per_call(calls, counted.get("pages_read")),
        log_bytes_per_call=per_call(calls, counted.get("log_bytes")),
        temporary_pages_per_call=per_call(calls, counted.get("temporary_pages")),
        planning_per_call_s=per_call(calls, counted.get("planning_s")),
        spread_s=spread(calls, finished_s, counted.get(SQUARES)), least_s=counted.get("least_s"), greatest_s=counted.get("greatest_s"),
        nested_share=per_call(calls, counted.get("nested_calls")), errors=errors if counted.get("errors") is None else counted["errors"],
        main_family=max(split, key=lambda family: split[family], default="other"), families=split,
        families_per_call={name: seconds / calls for name, seconds in split.items()} if calls else {},
        reference_calls_per_s=typical.calls_per_s if typical else None, reference_time_per_call_s=usual,
        reference_examined_per_row=typical.examined_per_row if typical else None,
        reference_active_sessions=typical.time_per_s if typical else None, difference=difference,
        first_seen_us=statement.first_seen_us,
    )  # fmt: skip
