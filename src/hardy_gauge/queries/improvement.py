"""Is it better now? What a finding showed in, before and after what was changed on its server."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from sqlalchemy import select

from hardy_gauge.core.diagnosis.finding import Finding, Signal
from hardy_gauge.core.diagnosis.improvement import FEWEST, Verdict, after_before
from hardy_gauge.core.narrative.improvement import (
    improvement_words,
    no_before_words,
    no_figure_words,
    nothing_changed_words,
    open_end_words,
    too_early_words,
)
from hardy_gauge.core.time.span import HOUR_US, MINUTE_US, Span
from hardy_gauge.queries.findings import FINDING
from hardy_gauge.queries.onset import figure_named, series_of
from hardy_gauge.queries.reader import Reader, Values
from hardy_gauge.store.finding_notes import stored_finding
from hardy_gauge.store.models import Change, Server, StoredFinding

KINDS = ("schema", "setting", "software", "upkeep")
MOST_US = HOUR_US
BEFORE_US = FEWEST * MINUTE_US  # what changed sooner began it, or leaves nothing to compare with
SECONDS = 60


@dataclass(frozen=True)
class Improvement:
    """The answer; ``focus`` and ``reference`` are the spans compared, as ISO 8601 intervals, None where none can be. ``ratio`` is after
    ÷ before.
    """

    sentence: str
    verdict: Verdict | None
    ratio: float | None
    low: float | None
    high: float | None
    focus: str | None
    reference: str | None


def improvement_of(reader: Reader, finding_id: int) -> Improvement:
    """NotFound where there is no such finding."""
    with reader.store.read() as session:
        row = stored_finding(session, finding_id)
        server = session.get_one(Server, row.server_id)
        changes = session.scalars(
            select(Change)
            .where(Change.server_id == row.server_id, Change.at_us >= row.since_us + BEFORE_US, Change.kind.in_(KINDS))
            .order_by(Change.at_us.desc())
        ).all()
    finding = FINDING.validate_python(row.body)
    change = _that_answers(changes, finding)
    at_us, words = (change.at_us, change.title) if change is not None else (row.ended_us, "")
    if at_us is None:
        return _without(nothing_changed_words(server.name))
    if change is None and row.open_end:
        return _without(open_end_words(at_us))
    return _compared(reader, server, row, finding, at_us, words)


def _that_answers(rows: Sequence[Change], finding: Finding) -> Change | None:
    """The last change of what the remedies are about; where none is, the last of schema or settings."""
    about = {finding.subject.name, finding.subject.text} | {one.setting.name for one in finding.remedies if one.setting}
    about |= {one.index.table for one in finding.remedies if one.index}
    named = [row for row in rows if any(name and (name == row.object or name in row.title) for name in about)]
    return next(iter(named), None) or next((row for row in rows if row.kind in ("schema", "setting")), None)


def _compared(
    reader: Reader, server: Server, row: StoredFinding, finding: Finding, at_us: int, change: str
) -> Improvement:
    if finding.signal is None or finding.signal.kind == "moment":
        return _without(no_figure_words(row.ended_us, change))
    now_us = reader.clock()
    before = Span(max(row.since_us, at_us - MOST_US), at_us // MINUTE_US * MINUTE_US)
    begins_us = (at_us // MINUTE_US + 1) * MINUTE_US
    after = Span(begins_us, max(begins_us, min(now_us, begins_us + MOST_US) // MINUTE_US * MINUTE_US))
    was, now = (_minutes(reader, server, finding.signal, span) for span in (before, after))
    if len(now) < FEWEST:
        return _without(too_early_words(at_us, change, len(now)))
    known = after_before(was, now)
    if known is None:
        return _without(no_before_words(at_us, change))
    what, unit = _named(finding.signal, reader, server, before)
    words = improvement_words(what, unit, known, at_us, change)
    return Improvement(words, known.verdict, known.ratio, known.low, known.high, after.iso(), before.iso())


def _without(sentence: str) -> Improvement:
    return Improvement(sentence, None, None, None, None, None, None)


def _minutes(reader: Reader, server: Server, signal: Signal, span: Span) -> Values:
    """The figure of each minute: of a statement its time per call, in minutes with calls."""
    if span.until_us <= span.since_us:
        return np.empty(0)
    if signal.kind == "figure":
        figure = figure_named(reader, server, signal.name, span)
        return np.empty(0) if figure is None else reader.minutes(server.id, figure, span)[1]
    _, values = series_of(reader, server, signal, span)
    if signal.kind != "statement":
        return values / SECONDS if signal.kind == "family" else values
    _, calls = series_of(reader, server, Signal("calls", signal.name), span)
    return values[calls > 0] / calls[calls > 0] if len(values) == len(calls) else np.empty(0)


def _named(signal: Signal, reader: Reader, server: Server, span: Span) -> tuple[str, str]:
    """What is compared and its unit."""
    if signal.kind == "statement":
        return "its time per call", "s"
    if signal.kind == "errors":
        return "the count of its errors", "/min"
    figure = figure_named(reader, server, signal.name, span) if signal.kind == "figure" else None
    return (f"waiting for {signal.name}", "sessions") if figure is None else (figure.title, figure.unit)
