"""Who held others up on a server in a span."""

from __future__ import annotations

from dataclasses import dataclass

from sqlalchemy import select

from hardy_gauge.core.activity.waiting import Root, roots_of
from hardy_gauge.core.narrative.waiting import holdup_words
from hardy_gauge.core.time.span import Span
from hardy_gauge.queries.reader import Reader
from hardy_gauge.queries.samples import read_samples
from hardy_gauge.store import segments
from hardy_gauge.store.models import Server, Statement

MOST = 5


@dataclass(frozen=True)
class Holdup:
    """Sessions of one kind for which others waited; ``text`` is what they work on, or ran last."""

    doing: str
    user: str
    service: str
    fingerprint: str
    text: str
    waited_s: float
    most_waiting: int
    depth: int
    last_us: int
    session: int
    idle_s: float | None
    transaction_s: float | None
    kinds: int
    words: str


def holdups_of(reader: Reader, owner: Server, span: Span) -> list[Holdup]:
    """The roots of waiting, the one that cost others most first, at most five."""
    columns = ("session", "blockers", "statement", "user", "service")
    samples = read_samples(reader, [owner], span, columns)
    with reader.store.read() as session:
        holders = segments.read(session, [owner.id], "holder", span.since_us, span.until_us)
        roots = roots_of(samples, holders)[:MOST]
        ids = [root.statement for root in roots if root.statement is not None]
        known = {row.id: row for row in session.scalars(select(Statement).where(Statement.id.in_(ids)))}
    return [_shown(root, known.get(-1 if root.statement is None else root.statement)) for root in roots]


def _shown(root: Root, statement: Statement | None) -> Holdup:
    return Holdup(
        root.doing, root.user, root.service, statement.fingerprint if statement else "", statement.text if statement else "",
        root.waited_s, root.most, root.depth, root.last_us, root.session, root.idle_s, root.transaction_s, root.kinds, holdup_words(root),
    )  # fmt: skip
