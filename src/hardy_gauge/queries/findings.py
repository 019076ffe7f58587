"""Findings as they are stored: what was found on a server, since when, whether it goes on, and what people said of it."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from functools import lru_cache

from pydantic import TypeAdapter
from sqlalchemy import Text, select, type_coerce
from sqlalchemy.orm import defer

from hardy_gauge.core.diagnosis.finding import Finding
from hardy_gauge.core.diagnosis.folding import is_one
from hardy_gauge.core.diagnosis.life import LOOK_BACK_US, WHOLE, State, is_aside, state_of
from hardy_gauge.core.diagnosis.roots import importance
from hardy_gauge.core.diagnosis.runner import NotKnown
from hardy_gauge.core.narrative.findings import (
    finding_words,
    findings_sentence,
    life_words,
    not_looked_words,
    nothing_words,
    past_sentence,
    undiagnosed_words,
)
from hardy_gauge.core.time.span import MINUTE_US, Span, overlap_s
from hardy_gauge.queries.reader import Reader
from hardy_gauge.store.models import DiagnosedSpan, DiagnosisState, Server, StoredFinding

FINDING = TypeAdapter(Finding)
NOT_KNOWN = TypeAdapter(list[NotKnown])
TROUBLE = ("plan", "act")
SILENT = ("set aside", "over")
PRESENT_US = 5 * MINUTE_US  # a focus that ended before is past


@dataclass(frozen=True)
class FoundOn:
    """A finding on a server, as it was seen last, and in a line; ``ended_us`` is None while it goes on. ``life`` says what people did
    about it; ``reason`` is why it was set aside; ``also`` are other servers with the same trouble, where
    findings of several servers were asked for; ``asks``: it is a root that asks for something, and nobody set it aside.
    """

    id: int
    words: str
    server: str
    cluster: str
    since_us: int
    seen_us: int
    ended_us: int | None
    state: State
    life: str
    reason: str
    also: list[str]
    asks: bool
    finding: Finding


@dataclass(frozen=True)
class Findings:
    """``findings`` by importance, roots first, what is set aside last; ``unknown`` says what could not be looked at, ``nothing``
    what having none means.
    """

    sentence: str
    findings: list[FoundOn]
    unknown: list[str]
    nothing: str


def findings_in(reader: Reader, servers: Sequence[Server], focus: Span, subject: str | None = None) -> Findings:
    """Findings whose life meets the focus, of the servers, perhaps of one subject (a statement's fingerprint)."""
    ids = [server.id for server in servers]
    now_us = reader.clock()
    past = _is_past(now_us, focus)
    unknown_of = type_coerce(DiagnosisState.unknown, Text), type_coerce(DiagnosedSpan.unknown, Text)
    with reader.store.read() as session:
        states = session.execute(
            select(DiagnosisState.server_id, DiagnosisState.first_us, DiagnosisState.at_us, unknown_of[0]).where(
                DiagnosisState.server_id.in_(ids)
            )
        ).all()
        spans = session.execute(
            select(DiagnosedSpan.server_id, DiagnosedSpan.from_us, DiagnosedSpan.until_us, unknown_of[1]).where(
                DiagnosedSpan.server_id.in_(ids), DiagnosedSpan.from_us < focus.until_us, DiagnosedSpan.until_us > focus.since_us
            )
        ).all()  # fmt: skip
    found = _found_in(reader, servers, focus, subject)
    first_us = min((first for _, first, _, _ in states), default=None)
    looked: dict[int, list[Span]] = {}
    for server_id, since, until, _ in spans:
        looked.setdefault(server_id, []).append(Span(since, until))
    for server_id, first, at, _ in states:
        end = now_us if now_us - at <= PRESENT_US else at
        looked.setdefault(server_id, []).append(Span(first - LOOK_BACK_US, end))
    parts = [_diagnosed_part(one, focus, looked.get(one.id, [])) for one in servers]
    whole, begun = sum(part >= WHOLE for part in parts), sum(part > 0 for part in parts)
    before = undiagnosed_words(first_us, whole, begun, len(servers), past)
    told_by = states if first_us is not None and first_us <= focus.until_us else spans
    by_why: dict[str, dict[str, None]] = {}
    for one in (one for row in told_by for one in _not_known(row[3])):
        by_why.setdefault(one.why, {})[one.cause] = None
    unknown = [*filter(None, [before]), *(not_looked_words(list(named), why) for why, named in by_why.items())]
    asking = [one for one in found if one.asks]
    told = [(one.server, one.finding) for one in asking]
    sentence = past_sentence(told, focus, len(servers)) if past else findings_sentence(told, len(servers), len(states))
    return Findings(sentence, found, unknown, nothing_words(unknown))


def _is_past(now_us: int, focus: Span) -> bool:
    return now_us - focus.until_us > PRESENT_US


def _found_in(reader: Reader, servers: Sequence[Server], focus: Span, subject: str | None = None) -> list[FoundOn]:
    """By importance, roots first, what is set aside last."""
    known = {server.id: server for server in servers}
    now_us = reader.clock()
    body = type_coerce(StoredFinding.body, Text)
    with reader.store.read() as session:
        query = select(StoredFinding, body).options(defer(StoredFinding.body)).where(
            StoredFinding.server_id.in_(known), StoredFinding.since_us < focus.until_us,
            (StoredFinding.ended_us.is_(None)) | (StoredFinding.ended_us > focus.since_us),
        )  # fmt: skip
        if subject is not None:
            query = query.where(StoredFinding.subject == subject)
        found = [
            _found(row, _finding(text), known[row.server_id], now_us, _is_past(now_us, focus))
            for row, text in session.execute(query)
        ]
    found.sort(
        key=lambda one: (one.state in SILENT and not one.asks, not one.finding.is_root, *importance(one.finding))
    )
    return _folded(found)


# of what is stored most is asked for again and again, and does not change
@lru_cache(maxsize=4096)
def _finding(body: str) -> Finding:
    return FINDING.validate_json(body)


@lru_cache(maxsize=4096)
def _not_known(unknown: str) -> list[NotKnown]:
    return NOT_KNOWN.validate_json(unknown)


def _diagnosed_part(server: Server, focus: Span, looked: Sequence[Span]) -> float:
    """What part of the focus was diagnosed on a server, by itself or on demand, as far as it is recorded; 1 where nothing is."""
    recorded = max(server.capture.recorded_until_us, server.capture.seen_us)
    asked = focus.cut(Span(0, recorded))
    return 1.0 if asked is None else overlap_s(asked, looked) / asked.seconds


def _folded(found: Sequence[FoundOn]) -> list[FoundOn]:
    """What is one trouble on several servers is one finding, told of the server where it weighs most."""
    told: list[FoundOn] = []
    by_cause: dict[tuple[str, State], list[FoundOn]] = {}
    for one in found:
        known = by_cause.setdefault((one.finding.cause, one.state), [])
        first = next(
            (other for other in known if one.server not in (other.server, *other.also) and _is_one(other, one)), None
        )
        if first is not None:
            first.also.append(one.server)
        else:
            known.append(one)
            told.append(one)
    return told


def _is_one(a: FoundOn, b: FoundOn) -> bool:
    return is_one(a.finding, a.cluster, a.since_us, b.finding, b.cluster, b.since_us)


def root_of(findings: Findings) -> Finding | None:
    """The most important finding that goes on and asks for something."""
    return next((one.finding for one in findings.findings if one.asks), None)


def roots_in(reader: Reader, servers: Sequence[Server], focus: Span) -> dict[str, Finding]:
    """Of each server the most important finding that goes on and asks for something."""
    found: dict[str, Finding] = {}
    for one in _found_in(reader, servers, focus):
        if one.asks:
            for name in (one.server, *one.also):
                found.setdefault(name, one.finding)
    return found


def _asks(state: State, finding: Finding, past: bool) -> bool:
    """Whether it asks for something, or in a focus that is past asked for it, though it is over by now."""
    silent = state == "set aside" if past else state in SILENT
    return not silent and finding.is_root and finding.grade in TROUBLE


def _found(row: StoredFinding, finding: Finding, server: Server, now_us: int, past: bool) -> FoundOn:
    aside = is_aside(finding, row.aside_us, row.aside_weight)
    state = state_of(now_us, row.since_us, row.ended_us, row.before_us, row.noted_us is not None, aside)
    words = finding_words(finding, server.name, row.since_us, row.ended_us, row.open_end)
    said = life_words(row.before_us, row.noted_by, row.noted_us, row.aside_by, row.aside_us, row.aside_reason, aside)
    return FoundOn(
        row.id, words, server.name, server.cluster.name, row.since_us, row.seen_us, row.ended_us, state, said, row.aside_reason, [],
        _asks(state, finding, past), finding,
    )  # fmt: skip


def troubles_found(reader: Reader, server_ids: Sequence[int], before_us: int) -> dict[int, list[Span]]:
    """Of each server the spans in which a finding that asks for something stood, before a moment."""
    grade = StoredFinding.body["grade"].as_string()
    with reader.store.read() as session:
        rows = session.execute(
            select(
                StoredFinding.server_id, StoredFinding.since_us, StoredFinding.ended_us, StoredFinding.seen_us
            ).where(StoredFinding.server_id.in_(server_ids), StoredFinding.since_us < before_us, grade.in_(TROUBLE))
        ).all()  # fmt: skip
    found: dict[int, list[Span]] = {server_id: [] for server_id in server_ids}
    for server_id, since, ended, seen in rows:
        if (end := min(seen if ended is None else ended, before_us)) > since:
            found[server_id].append(Span(since, end))
    return found
