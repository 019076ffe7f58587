"""Findings as they are stored: what was found on a server, since when, whether it goes on."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from pydantic import TypeAdapter
from sqlalchemy import select

from hardy_gauge.core.diagnosis.finding import Finding
from hardy_gauge.core.diagnosis.runner import NotKnown
from hardy_gauge.core.time.span import Span
from hardy_gauge.queries.reader import Reader
from hardy_gauge.store.models import DiagnosisState, Server, StoredFinding

FINDING = TypeAdapter(Finding)
TROUBLE = ("plan", "act")


@dataclass(frozen=True)
class FoundOn:
    """A finding on a server, as it was seen last; ``ended_us`` is None while it goes on."""

    server: str
    since_us: int
    seen_us: int
    ended_us: int | None
    finding: Finding


@dataclass(frozen=True)
class NotLookedAt:
    """What the diagnosis of a server could not look at, and why."""

    server: str
    cause: str
    why: str


@dataclass(frozen=True)
class Findings:
    """``findings`` by share of time; ``since_us`` is when diagnosing began, None where it has not yet."""

    findings: list[FoundOn]
    unknown: list[NotLookedAt]
    since_us: int | None


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
    found = [
        FoundOn(names[r.server_id], r.since_us, r.seen_us, r.ended_us, FINDING.validate_python(r.body)) for r in rows
    ]
    unknown = [
        NotLookedAt(names[state.server_id], one.cause, one.why)
        for state in states
        for one in TypeAdapter(list[NotKnown]).validate_python(state.unknown)
    ]
    first = min((state.first_us for state in states), default=None)
    return Findings(sorted(found, key=lambda one: -one.finding.share), unknown, first)


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
