"""The life of findings in the store: new, going on, over. The same cause on the same subject is one finding."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import asdict

from sqlalchemy import delete, select
from sqlalchemy.orm import Session

from hardy_gauge.core.diagnosis.finding import Finding
from hardy_gauge.core.diagnosis.life import Lived
from hardy_gauge.core.diagnosis.runner import NotKnown
from hardy_gauge.core.time.span import Span
from hardy_gauge.store.models import DiagnosedSpan, DiagnosisState, StoredFinding


def keep(
    session: Session, server_id: int, found: Sequence[tuple[Finding, int]], not_known: set[str], now_us: int
) -> None:
    """Store what was found now, each with its onset; what is not found any more is over.

    A finding whose cause could not be looked for stays as it was: unknown is not over.
    """
    open_rows = {
        (row.cause, row.subject): row
        for row in session.scalars(
            select(StoredFinding).where(StoredFinding.server_id == server_id, StoredFinding.ended_us.is_(None))
        )
    }
    for finding, since_us in found:
        row = open_rows.pop((finding.cause, finding.subject.name), None)
        if row is None:
            row = _begun(session, server_id, finding, since_us, now_us)
            session.add(row)
        row.seen_us, row.body = now_us, asdict(finding)
    for (cause, _), row in open_rows.items():
        if cause not in not_known:
            row.ended_us = row.seen_us


def _begun(session: Session, server_id: int, finding: Finding, since_us: int, now_us: int) -> StoredFinding:
    """A new row; of what was there before it keeps when that was over, and that it was set aside."""
    earlier = session.scalars(
        select(StoredFinding)
        .where(
            StoredFinding.server_id == server_id, StoredFinding.cause == finding.cause,
            StoredFinding.subject == finding.subject.name, StoredFinding.ended_us.is_not(None),
        )
        .order_by(StoredFinding.ended_us.desc())
    ).first()  # fmt: skip
    row = StoredFinding(
        server_id=server_id, cause=finding.cause, subject=finding.subject.name, since_us=since_us, seen_us=now_us, body={},
    )  # fmt: skip
    if earlier is not None:
        row.before_us = earlier.ended_us
        row.since_us = max(since_us, earlier.ended_us or 0)
        for name in ("aside_us", "aside_by", "aside_reason", "aside_weight"):
            setattr(row, name, getattr(earlier, name))
    return row


def keep_past(session: Session, server_id: int, lives: Sequence[Lived], span: Span, unknown: Sequence[NotKnown]) -> int:
    """Store what was found in a span of the past, and that it was looked at; how many findings are new. One that is known of that time
    stays as it is.
    """
    known = list(session.scalars(select(StoredFinding).where(StoredFinding.server_id == server_id)))
    new = 0
    for one in lives:
        key = (one.finding.cause, one.finding.subject.name)
        met = [row for row in known if (row.cause, row.subject) == key and row.since_us <= one.seen_us]
        if any(row.ended_us is None or row.ended_us >= one.since_us for row in met):
            continue
        session.add(
            StoredFinding(
                server_id=server_id, cause=key[0], subject=key[1], since_us=one.since_us, seen_us=one.seen_us, ended_us=one.seen_us,
                body=asdict(one.finding), open_end=one.seen_us == span.until_us,
            )
        )  # fmt: skip
        new += 1
    within = (DiagnosedSpan.from_us >= span.since_us, DiagnosedSpan.until_us <= span.until_us)
    session.execute(delete(DiagnosedSpan).where(DiagnosedSpan.server_id == server_id, *within))
    causes = [asdict(one) for one in unknown]
    session.add(DiagnosedSpan(server_id=server_id, from_us=span.since_us, until_us=span.until_us, unknown=causes))
    return new


def keep_state(session: Session, server_id: int, unknown: Sequence[NotKnown], error: str, now_us: int) -> None:
    """Note when a server was diagnosed, what could not be looked at, and what went wrong."""
    state = session.get(DiagnosisState, server_id)
    if state is None:
        state = DiagnosisState(server_id=server_id, first_us=now_us)
        session.add(state)
    state.at_us, state.unknown, state.error = now_us, [asdict(one) for one in unknown], error
