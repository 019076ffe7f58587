"""What is marked on a time axis: changes, and findings that began."""

from __future__ import annotations

from collections.abc import Sequence

from sqlalchemy import select

from hardy_gauge.core.changes.mark import Mark
from hardy_gauge.core.time.span import Span
from hardy_gauge.queries.findings import TROUBLE, findings_in
from hardy_gauge.queries.reader import Reader
from hardy_gauge.store.models import Change, Server


def changes_marked(reader: Reader, servers: Sequence[Server], span: Span) -> list[Mark]:
    """Changes of the span, oldest first, without upkeep, which would cover the rest."""
    names = {server.id: server.name for server in servers}
    with reader.store.read() as session:
        rows = session.scalars(
            select(Change)
            .where(
                Change.server_id.in_(names), Change.kind != "upkeep", Change.at_us.between(span.since_us, span.until_us)
            )
            .order_by(Change.at_us)
        )
        return [Mark(row.at_us, names[row.server_id], row.kind, row.title) for row in rows]


def findings_marked(reader: Reader, servers: Sequence[Server], span: Span) -> list[Mark]:
    """Roots that began in the span, ask for something and are not set aside."""
    return [
        Mark(one.since_us, one.server, one.finding.grade, one.finding.title)
        for one in findings_in(reader, list(servers), span).findings
        if one.finding.is_root
        and one.finding.grade in TROUBLE
        and one.state != "set aside"
        and one.since_us >= span.since_us
    ]
