"""Everything that changed on the servers of a scope over a window, and what followed."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass

import numpy as np
import polars as pl
from sqlalchemy import select

from hardy_gauge.core.changes.followed import FOLLOWED, MOST_US, Effect, Minutes, effect_of, judged, spans_around
from hardy_gauge.core.changes.sheet import NOTED, ChangeRow, Changes
from hardy_gauge.core.figures.catalogue import FIGURES, Figure
from hardy_gauge.core.narrative.changes import changes_sentence, followed_words, new_statement_words, plan_words
from hardy_gauge.core.time.span import MINUTE_US, Span
from hardy_gauge.queries.coverage import first_recorded_us
from hardy_gauge.queries.plan_changes import plan_changes
from hardy_gauge.queries.reader import Reader
from hardy_gauge.queries.scope import servers_in
from hardy_gauge.queries.statements import read_intervals
from hardy_gauge.store.models import Change, Server, Statement

MOST = 200
YOUNG_US = 10 * MINUTE_US  # of recording: everything is seen for the first time


@dataclass(frozen=True)
class _Seen:
    """A change before what followed is known."""

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


def changes_in(reader: Reader, scope: str, span: Span, kinds: Sequence[str] = (), search: str = "") -> Changes:
    """The newest first. ``kinds``: only of these; ``search``: all its words in title, object, server or who."""
    servers = servers_in(reader, scope)
    found = sorted(
        [*_stored(reader, servers, span), *_plans(reader, servers, span), *_statements(reader, servers, span)],
        key=lambda one: (-one.at_us, one.server.name, one.title),
    )
    counts: dict[str, int] = {}
    for one in found:
        counts[one.kind] = counts.get(one.kind, 0) + 1
    wanted = [one for one in found if (not kinds or one.kind in kinds) and _holds(one, search)]
    around = Span(span.since_us - MOST_US, span.until_us + MOST_US)
    rows = list(_followed(reader, wanted[:MOST], _stored(reader, servers, around)))
    return Changes(
        changes_sentence(scope, rows, len(wanted), bool(kinds or search)), span.iso(), rows, dict(sorted(counts.items())),
        len(wanted) - len(rows),
    )  # fmt: skip


def _holds(one: _Seen, search: str) -> bool:
    text = f"{one.title} {one.object} {one.server.name} {one.who} {one.before} {one.after}".lower()
    return all(word in text for word in search.lower().split())


def _stored(reader: Reader, servers: Sequence[Server], span: Span) -> list[_Seen]:
    named = {server.id: server for server in servers}
    with reader.store.read() as session:
        rows = session.scalars(
            select(Change).where(
                Change.server_id.in_(named), Change.at_us >= span.since_us, Change.at_us < span.until_us
            )
        ).all()
    return [
        _Seen(row.id, row.at_us, named[row.server_id], row.kind, row.title, row.object, row.before, row.after, row.who)
        for row in rows
    ]


def _plans(reader: Reader, servers: Sequence[Server], span: Span) -> Iterable[_Seen]:
    for server in servers:
        for one in plan_changes(reader, server, span, MOST):
            title = plan_words(one.before_s, one.after_s)
            yield _Seen(
                None, one.at_us, server, "plan", title, one.text, one.before, one.after, fingerprint=one.fingerprint
            )


def _statements(reader: Reader, servers: Sequence[Server], span: Span) -> Iterable[_Seen]:
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
    for server_id, number, at_us in first.iter_rows():
        since = begun.get(server_id)
        if since is not None and at_us >= since + YOUNG_US:
            row = new[number]
            yield _Seen(
                None, at_us, named[server_id], "statement", new_statement_words(), row.text, fingerprint=row.fingerprint
            )


def _followed(reader: Reader, wanted: Sequence[_Seen], stored: Sequence[_Seen]) -> Iterable[ChangeRow]:
    """Each with what followed, from one read of a server's figures around all its changes; ``stored`` are those of the time around, too."""
    now_us = reader.clock()
    by_server: dict[int, list[_Seen]] = {}
    for one in wanted:
        by_server.setdefault(one.server.id, []).append(one)
    effects: dict[int, list[Effect]] = {}
    for server_id, mine in by_server.items():
        since, until = min(one.at_us for one in mine), max(one.at_us for one in mine)
        minutes = _minutes(reader, server_id, Span(since - MOST_US - MINUTE_US, until + MOST_US + 2 * MINUTE_US))
        for one in mine:
            around = spans_around(one.at_us, now_us)
            effects[id(one)] = [effect_of(f.name, f.title, f.unit, known, around, len(minutes)) for f, known in minutes]
    for one in wanted:
        besides = [
            other.title
            for other in stored
            if other.server.id == one.server.id and (other.id is None or other.id != one.id)
            and abs(other.at_us - one.at_us) <= MOST_US and other.kind != "upkeep"
        ]  # fmt: skip
        before, after = spans_around(one.at_us, now_us)
        found, shown = effects[id(one)], judged(effects[id(one)])
        yield ChangeRow(
            one.id, one.at_us, one.server.name, one.kind, one.title, one.object, one.before, one.after, one.who, one.fingerprint,
            shown, followed_words(found, shown), found, besides, one.kind in NOTED, after.iso() if after.seconds else "", before.iso(),
        )  # fmt: skip


def _minutes(reader: Reader, server_id: int, span: Span) -> list[tuple[Figure, Minutes]]:
    """The figures that are reported, by minute, with their usual course."""
    figures = [FIGURES[name] for name in FOLLOWED]
    found = []
    with reader.read_ahead([server_id], span, (column for figure in figures for column in figure.columns)):
        for figure in figures:
            times, values = reader.minutes(server_id, figure, span)
            if len(times):
                _, usual, _ = reader.usual(server_id, figure.name).at(times)
                course = usual if len(usual) == len(times) else np.full(len(times), np.nan)
                found.append((figure, Minutes(times, values, course)))
    return found
