"""Everything that changed on the servers of a scope over a window, and what followed."""

from __future__ import annotations

from collections.abc import Iterable, Sequence

import numpy as np

from hardy_gauge.core.changes.followed import FOLLOWED, MOST_US, Effect, Minutes, effect_of, judged, spans_around
from hardy_gauge.core.changes.leading import leading
from hardy_gauge.core.changes.sheet import NOTED, ChangeRow, Changes, NotedFinding
from hardy_gauge.core.figures.catalogue import FIGURES, Figure
from hardy_gauge.core.narrative.changes import changes_sentence, followed_words
from hardy_gauge.core.time.span import HOUR_US, MINUTE_US, Span
from hardy_gauge.queries.change_sources import (
    Seen,
    changed_plans,
    gone_statements,
    job_runs,
    member_changes,
    new_statements,
    stored_changes,
)
from hardy_gauge.queries.findings import TROUBLE, FoundOn, findings_in
from hardy_gauge.queries.hourly import SETTLED_US
from hardy_gauge.queries.reader import Reader
from hardy_gauge.queries.scope import servers_in

MOST = 200
SOURCES = (stored_changes, changed_plans, new_statements, gone_statements, member_changes, job_runs)
# a finding that began so long after a change, or shortly before it by a look's delay, may come of it
EARLY_US, LATE_US = 5 * MINUTE_US, HOUR_US


def changes_in(reader: Reader, scope: str, span: Span, kinds: Sequence[str] = (), search: str = "") -> Changes:
    """The newest first. ``kinds``: only of these; ``search``: all its words in title, object, server or who."""
    servers = servers_in(reader, scope)
    found = sorted(
        [one for source in SOURCES for one in source(reader, servers, span)],
        key=lambda one: (-one.at_us, one.server.name, one.title),
    )
    counts: dict[str, int] = {}
    for one in found:
        counts[one.kind] = counts.get(one.kind, 0) + 1
    wanted = [one for one in found if (not kinds or one.kind in kinds) and _holds(one, search)]
    around = Span(span.since_us - MOST_US, span.until_us + MOST_US)
    rows = list(_followed(reader, wanted[:MOST], stored_changes(reader, servers, around)))
    return Changes(
        changes_sentence(scope, rows, len(wanted), bool(kinds or search)), span.iso(), rows, leading(rows), dict(sorted(counts.items())),
        len(wanted) - len(rows),
    )  # fmt: skip


def _holds(one: Seen, search: str) -> bool:
    text = f"{one.title} {one.object} {one.server.name} {one.who} {one.before} {one.after}".lower()
    return all(word in text for word in search.lower().split())


def _followed(reader: Reader, wanted: Sequence[Seen], stored: Sequence[Seen]) -> Iterable[ChangeRow]:
    """Each with what followed, from one read of a server's figures around all its changes; ``stored`` are those of the time around, too."""
    now_us = reader.clock()
    by_server: dict[int, list[Seen]] = {}
    for one in wanted:
        by_server.setdefault(one.server.id, []).append(one)
    effects: dict[int, list[Effect]] = {}
    began = _findings(reader, wanted)
    for server_id, mine in by_server.items():
        # what followed a change does not become another once it is over
        kept: dict[int, list[Effect]] = reader.kept_as(("effects", server_id), now_us // HOUR_US, dict)
        so_far: dict[int, list[Effect]] = reader.kept_as(("effects so far", server_id), now_us // MINUTE_US, dict)
        found_before = {at: known[at] for known in (so_far, kept) for at in (one.at_us for one in mine) if at in known}
        left = [one.at_us for one in mine if one.at_us not in found_before]
        if left:
            span = Span(min(left) - MOST_US - MINUTE_US, max(left) + MOST_US + 2 * MINUTE_US)
            minutes = _minutes(reader, server_id, span)
            for at_us in left:
                around = spans_around(at_us, now_us)
                made = [effect_of(f.name, f.title, f.unit, known, around, len(minutes)) for f, known in minutes]
                found_before[at_us] = made
                (kept if around[1].until_us + SETTLED_US <= now_us else so_far)[at_us] = made
        effects |= {id(one): found_before[one.at_us] for one in mine}
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
            shown, followed_words(found, shown), found, besides, one.kind in NOTED and bool(one.who), after.iso() if after.seconds else "", before.iso(),
            [NotedFinding(f.id, f.finding.title, f.finding.grade) for f in began if f.server == one.server.name and -EARLY_US <= f.since_us - one.at_us <= LATE_US],
        )  # fmt: skip


def _findings(reader: Reader, wanted: Sequence[Seen]) -> list[FoundOn]:
    """Roots that ask for something and began about the time of the changes."""
    if not wanted:
        return []
    servers = {one.server.id: one.server for one in wanted}
    since, until = min(one.at_us for one in wanted) - EARLY_US, max(one.at_us for one in wanted) + LATE_US
    found = findings_in(reader, list(servers.values()), Span(since, until)).findings
    return [one for one in found if one.finding.is_root and one.finding.grade in TROUBLE]


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
