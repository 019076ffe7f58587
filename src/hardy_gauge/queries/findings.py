"""Findings as they are stored: what was found on a server, since when, whether it goes on."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from pydantic import TypeAdapter
from sqlalchemy import select

from hardy_gauge.core.diagnosis.finding import Finding
from hardy_gauge.core.diagnosis.roots import importance
from hardy_gauge.core.diagnosis.runner import NotKnown
from hardy_gauge.core.narrative.findings import finding_words, not_looked_words, nothing_words, undiagnosed_words
from hardy_gauge.core.time.span import Span
from hardy_gauge.queries.reader import Reader
from hardy_gauge.store.models import DiagnosisState, Server, StoredFinding

FINDING = TypeAdapter(Finding)
TROUBLE = ("plan", "act")


@dataclass(frozen=True)
class FoundOn:
    """A finding on a server, as it was seen last, and in a line; ``ended_us`` is None while it goes on."""

    words: str
    server: str
    since_us: int
    seen_us: int
    ended_us: int | None
    finding: Finding


@dataclass(frozen=True)
class Findings:
    """``findings`` by grade and share of time; ``unknown`` says what could not be looked at, ``nothing`` what having none means."""

    findings: list[FoundOn]
    unknown: list[str]
    nothing: str


def findings_in(reader: Reader, servers: Sequence[Server], focus: Span, subject: str | None = None) -> Findings:
    """Findings whose life meets the focus, of the servers, perhaps of one subject (a statement's fingerprint)."""
    names = {server.id: server.name for server in servers}
    with reader.store.read() as session:
        query = select(StoredFinding).where(
            StoredFinding.server_id.in_(names), StoredFinding.since_us < focus.until_us,
            (StoredFinding.ended_us.is_(None)) | (StoredFinding.ended_us > focus.since_us),
        )  # fmt: skip
        if subject is not None:
            query = query.where(StoredFinding.subject == subject)
        rows = list(session.scalars(query))
        states = list(session.scalars(select(DiagnosisState).where(DiagnosisState.server_id.in_(names))))
    found = [_found(row, names[row.server_id]) for row in rows]
    before = undiagnosed_words(min((state.first_us for state in states), default=None), focus)
    causes = [one for state in states for one in TypeAdapter(list[NotKnown]).validate_python(state.unknown)]
    by_why: dict[str, dict[str, None]] = {}
    for one in causes:
        by_why.setdefault(one.why, {})[one.cause] = None
    unknown = [*filter(None, [before]), *(not_looked_words(list(named), why) for why, named in by_why.items())]
    found.sort(key=lambda one: (not one.finding.is_root, *importance(one.finding)))
    return Findings(found, unknown, nothing_words(unknown))


def _found(row: StoredFinding, server: str) -> FoundOn:
    finding = FINDING.validate_python(row.body)
    words = finding_words(finding, server, row.since_us, row.ended_us)
    return FoundOn(words, server, row.since_us, row.seen_us, row.ended_us, finding)


def troubles_found(reader: Reader, server_id: int, before_us: int) -> list[Span]:
    """Spans in which a finding that asks for something stood, before a moment."""
    with reader.store.read() as session:
        rows = session.execute(
            select(StoredFinding.since_us, StoredFinding.ended_us, StoredFinding.seen_us, StoredFinding.body).where(
                StoredFinding.server_id == server_id, StoredFinding.since_us < before_us
            )
        ).all()
    return [
        Span(since, end)
        for since, ended, seen, body in rows
        if body["grade"] in TROUBLE and (end := min(seen if ended is None else ended, before_us)) > since
    ]
