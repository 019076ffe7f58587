"""What changed on servers, by where it is known from: stored, plans, statements that came and went, members, jobs."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence
from dataclasses import dataclass

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
from hardy_gauge.queries.calls_met import called, met_in
from hardy_gauge.queries.coverage import first_recorded_us
from hardy_gauge.queries.plan_changes import plan_changes_of
from hardy_gauge.queries.reader import Reader
from hardy_gauge.queries.recurrences import LEARNT_IN, jobs_of
from hardy_gauge.queries.statements import read_calls, texts_of
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
    named = {server.id: server for server in servers}
    for one in plan_changes_of(reader, servers, span, MOST_PLANS):
        title = plan_words(one.before_s, one.after_s)
        yield Seen(
            None,
            one.at_us,
            named[one.server_id],
            "plan",
            title,
            one.text,
            one.before,
            one.after,
            fingerprint=one.fingerprint,
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
    named = {server.id: server for server in servers}
    met = met_in(reader, servers, span)
    if met.is_empty():
        return
    first = (
        met.filter(pl.col("statement").is_in(list(new)))
        .group_by("server_id", "statement")
        .agg(pl.col("first_us").min())
    )
    begun = first_recorded_us(reader, servers)
    # what is brought in with its history is seen first when it is brought in
    week = met_in(reader, servers, Span(span.since_us - WEEK_US, span.since_us))
    known = set(week.select("server_id", "statement").unique().iter_rows()) if len(week) else set()
    for server_id, number, at_us in first.iter_rows():
        since = begun.get(server_id)
        if since is not None and at_us >= since + YOUNG_US and (server_id, number) not in known:
            row = new[number]
            yield Seen(
                None, at_us, named[server_id], "statement", new_statement_words(), row.text, fingerprint=row.fingerprint
            )


def gone_statements(reader: Reader, servers: Sequence[Server], span: Span) -> Iterator[Seen]:
    """Statements that were called again and again, then no more until the end of the focus, though they are called at that time on the
    day or the week before.
    """
    if span.until_us - span.since_us > LONGEST_US:
        return
    named, texts = {server.id: server for server in servers}, texts_of(reader)
    met = met_in(reader, servers, Span(span.since_us - BACK_US, span.until_us))
    if met.is_empty():
        return
    lasts = dict(met.group_by("server_id").agg(pl.col("last_us").max()).iter_rows())
    went = [
        (server_id, number, at)
        for server_id, number, minutes, longest, last in called(met).iter_rows()
        if (at := stopped_at(minutes, longest, last, lasts[server_id])) is not None and at >= span.since_us and number in texts
    ]  # fmt: skip
    if not went:
        return
    before = [_called_later(reader, servers, span, back, went) for back in (DAY_US, WEEK_US)]
    for one in went:
        if any(one in found for found in before):
            server_id, number, at = one
            row = texts[number]
            yield Seen(
                None, at, named[server_id], "statement", gone_statement_words(), row.text, fingerprint=row.fingerprint
            )


Went = tuple[int, int, int]


def _called_later(
    reader: Reader, servers: Sequence[Server], span: Span, back_us: int, went: Sequence[Went]
) -> set[Went]:  # fmt: skip
    """Which of those that went were called, so long before, between the minute in which they went and the end of the span."""
    quiet = Span(min(at for _, _, at in went) + MINUTE_US, span.until_us).moved(-back_us)
    concerned = {server_id for server_id, _, _ in went}
    frame = read_calls(reader, [server for server in servers if server.id in concerned], quiet)
    if frame.is_empty():
        return set()
    times = frame.filter(pl.col("calls") > 0).group_by("server_id", "statement").agg(pl.col("at_us").max())
    last = {(server_id, number): at for server_id, number, at in times.iter_rows()}
    return {one for one in went if last.get(one[:2], 0) >= one[2] + MINUTE_US - back_us}


def member_changes(reader: Reader, servers: Sequence[Server], span: Span) -> Iterator[Seen]:
    """Moments at which a server saw more or fewer members of its cluster than before, for two looks at least."""
    frame = reader.counters([server.id for server in servers], span, [MEMBERS])
    if MEMBERS not in frame.columns:
        return
    named = {server.id: server for server in servers}
    known = frame.select("server_id", "at_us", MEMBERS).drop_nulls()
    changed = known.group_by("server_id").agg(pl.col(MEMBERS).n_unique()).filter(pl.col(MEMBERS) > 1)["server_id"]
    for server_id in changed.sort():
        mine = known.filter(pl.col("server_id") == server_id).select("at_us", MEMBERS)
        for at, before, after in member_steps([(int(at), int(count)) for at, count in mine.iter_rows()]):
            title = members_words(before, after)
            yield Seen(None, at, named[server_id], "member", title, before=str(before), after=str(after))


def job_runs(reader: Reader, servers: Sequence[Server], span: Span) -> Iterator[Seen]:
    """The last run of each known job, where it began in the focus."""
    named = {server.name: server for server in servers}
    for job in jobs_of(reader, servers, LEARNT_IN):
        if not job.dismissed and span.since_us <= job.last_us < span.until_us:
            title = job_words(job.words, job.clock, job.last_s, job.length_s)
            yield Seen(
                None, job.last_us, named[job.server], "job", title, job.name or job.text, fingerprint=job.fingerprint
            )
