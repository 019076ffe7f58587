"""A remedy taken to a trial: where its server's engine can be tried, with the load that was recorded."""

from __future__ import annotations

from sqlalchemy import select

from hardy_gauge.capture.access import AccountUser
from hardy_gauge.core.time.window import Window
from hardy_gauge.core.trials.draft import Change
from hardy_gauge.load.postgres.access import is_postgresql
from hardy_gauge.load.postgres.recorded import RecordedTrial, recorded_change
from hardy_gauge.queries.reader import Reader
from hardy_gauge.queries.scope import server_named
from hardy_gauge.queries.trials import change_draft
from hardy_gauge.store.models import Server


def draft_of(reader: Reader, window: Window, server: str, change: Change, user: AccountUser) -> RecordedTrial:
    """A design to be read and changed before it is started. NotFound or InvalidInput where there is nothing to play, or nowhere."""
    server_named(reader, server)
    with reader.store.read() as session:
        asked = is_postgresql(session.scalars(select(Server).where(Server.name == server)).one())
    if asked:
        return recorded_change(reader, window, server, change, user)
    return RecordedTrial(change_draft(reader, window, server, change), [])
