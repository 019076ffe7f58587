"""What changed on servers, by where it is known from: stored, plans, statements that came and went, members, jobs."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence
from dataclasses import dataclass

import numpy as np
import polars as pl
from sqlalchemy import select

from hardy_gauge.core.changes.gone import stopped_at
from hardy_gauge.core.cluster.member_steps import member_steps
from hardy_gauge.core.narrative.changes import (
    gone_statement_words,
    job_words,
    members_words,
    new_statement_words,
    plan_words,
)
from hardy_gauge.core.time.span import DAY_US, HOUR_US, MINUTE_US, WEEK_US, Span
from hardy_gauge.queries.coverage import first_recorded_us
from hardy_gauge.queries.plan_changes import plan_changes
from hardy_gauge.queries.reader import Reader
from hardy_gauge.queries.recurrences import LEARNT_IN, recurrences
from hardy_gauge.queries.statements import read_intervals, texts_of
from hardy_gauge.store import segments
from hardy_gauge.store.models import Change, Server, Statement

MOST_PLANS = 200
YOUNG_US = 10 * MINUTE_US  # of recording: everything is seen for the first time
MEMBERS = "members_seen"
BACK_US = 6 * HOUR_US  # before the focus, in which it is learnt how often a statement is called
LONGEST_US = 36 * HOUR_US  # of a focus in which it is looked for statements that went


@dataclass(frozen=True)
class Seen:
    """A change before what followed is known; ``who`` noted it, or did it as the log tells."""

    id: int | None
    at_us: int
    server: Server
    kind: str
    title: str
    object: str = ""
    before: str = ""
    after: str = ""
    who: str = ""
    fingerprint: str = ""


def stored_changes(reader: Reader, servers: Sequence[Server], span: Span) -> list[Seen]:
    named = {server.id: server for server in servers}
    with reader.store.read() as session:
        rows = session.scalars(
            select(Change).where(
                Change.server_id.in_(named), Change.at_us >= span.since_us, Change.at_us < span.until_us
            )
        ).all()
    return [
        Seen(row.id, row.at_us, named[row.server_id], row.kind, row.title, row.object, row.before, row.after, row.who)
        for row in rows
    ]


def changed_plans(reader: Reader, servers: Sequence[Server], span: Span) -> Iterable[Seen]:
    for server in servers:
        for one in plan_changes(reader, server, span, MOST_PLANS):
            title = plan_words(one.before_s, one.after_s)
            yield Seen(
                None, one.at_us, server, "plan", title, one.text, one.before, one.after, fingerprint=one.fingerprint
            )


def new_statements(reader: Reader, servers: Sequence[Server], span: Span) -> Iterable[Seen]:
    """Statements that were first seen in the span, on servers that had been recorded for a while."""
    with reader.store.read() as session:
        new = {
            row.id: row
            for row in session.scalars(
                select(Statement).where(
                    Statement.first_seen_us >= span.since_us, Statement.first_seen_us < span.until_us
                )
            )
        }
    if not new:
        return
    frame = read_intervals(reader, list(servers), span)
    if frame.is_empty():
        return
    named = {server.id: server for server in servers}
    first = (
        frame.filter(pl.col("statement").is_in(list(new))).group_by("server_id", "statement").agg(pl.col("at_us").min())
    )
    begun = {server.id: first_recorded_us(reader, server) for server in servers}
    known = _called_before(
        reader, servers, span.since_us
    )  # what is brought in with its history is seen first when it is brought in
    for server_id, number, at_us in first.iter_rows():
        since = begun.get(server_id)
        if since is not None and at_us >= since + YOUNG_US and (server_id, number) not in known:
            row = new[number]
            yield Seen(
                None, at_us, named[server_id], "statement", new_statement_words(), row.text, fingerprint=row.fingerprint
            )


def _called_before(reader: Reader, servers: Sequence[Server], until_us: int) -> set[tuple[int, int]]:
    """Servers and statements that were called in the week before."""
    ids = [server.id for server in servers]
    with reader.store.read() as session:
        frame = segments.read(session, ids, "statement", until_us - WEEK_US, until_us, ["statement"])
    if frame.is_empty():
        return set()
    return set(frame.select("server_id", "statement").unique().iter_rows())


def gone_statements(reader: Reader, servers: Sequence[Server], span: Span) -> Iterator[Seen]:
    """Statements that were called again and again, then no more until the end of the focus, though they are called at that time on the
    day or the week before.
    """
    if span.until_us - span.since_us > LONGEST_US:
        return
    named, texts = {server.id: server for server in servers}, texts_of(reader)
    frame = read_intervals(reader, list(servers), Span(span.since_us - BACK_US, span.until_us))
    if frame.is_empty():
        return
    lasts = dict(frame.group_by("server_id").agg(pl.col("at_us").max()).iter_rows())
    calls = frame.filter(pl.col("calls") > 0).sort("at_us").group_by("server_id", "statement").agg(pl.col("at_us"))
    for server_id, number, times in calls.iter_rows():
        at = stopped_at(np.unique(np.array(times)), lasts[server_id])
        if at is None or at < span.since_us or number not in texts:
            continue
        quiet = Span(at + MINUTE_US, span.until_us)
        if any(_called(reader, named[server_id], number, quiet.moved(-back)) for back in (DAY_US, WEEK_US)):
            row = texts[number]
            yield Seen(
                None, at, named[server_id], "statement", gone_statement_words(), row.text, fingerprint=row.fingerprint
            )


def _called(reader: Reader, server: Server, number: int, span: Span) -> bool:
    frame = read_intervals(reader, [server], span)
    return len(frame) > 0 and bool(len(frame.filter(pl.col("statement") == number, pl.col("calls") > 0)))


def member_changes(reader: Reader, servers: Sequence[Server], span: Span) -> Iterator[Seen]:
    """Moments at which a server saw more or fewer members of its cluster than before, for two looks at least."""
    for server in servers:
        frame = reader.counters([server.id], span, [MEMBERS])
        if MEMBERS not in frame.columns:
            continue
        known = frame.select("at_us", MEMBERS).drop_nulls()
        for at, before, after in member_steps([(int(at), int(count)) for at, count in known.iter_rows()]):
            title = members_words(before, after)
            yield Seen(None, at, server, "member", title, before=str(before), after=str(after))


def job_runs(reader: Reader, servers: Sequence[Server], span: Span) -> Iterator[Seen]:
    """The last run of each known job, where it began in the focus."""
    for server in servers:
        for job in recurrences(reader, server.name, LEARNT_IN).jobs:
            if not job.dismissed and span.since_us <= job.last_us < span.until_us:
                title = job_words(job.words, job.clock, job.last_s, job.length_s)
                yield Seen(None, job.last_us, server, "job", title, job.name or job.text, fingerprint=job.fingerprint)
