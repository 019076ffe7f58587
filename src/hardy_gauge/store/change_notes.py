"""Changes that people and programs note: a deployment, other hardware, anything that the product cannot see itself."""

from __future__ import annotations

from collections.abc import Sequence

from sqlalchemy import select
from sqlalchemy.orm import Session

from hardy_gauge.core.changes.sheet import NOTED, ChangeKind
from hardy_gauge.errors import Conflict, InvalidInput, NotFound
from hardy_gauge.store.models import Change, Server

AHEAD_US = 60_000_000  # clocks of those who note differ a little


def note_change(
    session: Session, servers: Sequence[Server], kind: ChangeKind, title: str, object_: str, at_us: int, who: str, now_us: int
) -> list[int]:  # fmt: skip
    """One row a server; numbers of the rows. What is noted twice, as a program does that tries again, is kept once. InvalidInput for
    an empty title or a moment to come.
    """
    title = title.strip()
    if not title:
        raise InvalidInput("title: say in a line what changed", "title")
    if at_us > now_us + AHEAD_US:
        raise InvalidInput("at: this is still to come; note a change when it is made", "at")
    numbers = []
    for server in servers:
        same = select(Change).where(
            Change.server_id == server.id, Change.at_us == at_us, Change.kind == kind, Change.title == title
        )
        row = session.scalar(same)
        if row is None:
            row = Change(server_id=server.id, at_us=at_us, kind=kind, title=title, object=object_.strip(), who=who)
            session.add(row)
            session.flush()
        numbers.append(row.id)
    return numbers


def take_back_note(session: Session, number: int) -> None:
    """NotFound where there is none within reach; Conflict where it is no note of somebody, but was seen."""
    row = session.scalar(select(Change).join(Server, Server.id == Change.server_id).where(Change.id == number))
    if row is None:
        raise NotFound(f"no change {number}")
    if row.kind not in NOTED or not row.who:
        raise Conflict("this change was seen on the server, not noted by somebody: it stays")
    session.delete(row)
