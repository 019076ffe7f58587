"""Ending a session on a server: asked of its probe, with a reason, and noted beside what changed there."""

from __future__ import annotations

from hardy_gauge.capture.access import probe_of
from hardy_gauge.errors import InvalidInput, NotFound
from hardy_gauge.probes.protocol import Unsupported
from hardy_gauge.store.change_notes import note_change
from hardy_gauge.store.database import Store
from hardy_gauge.store.models import Server


def end_session(store: Store, server: Server, number: int, user: str, reason: str, who: str, now_us: int) -> None:
    """End a session of a user. NotFound where it is over already or is somebody else's now, Unsupported where the server does not let
    its account do that, InvalidInput without a reason; a ProbeError when the server refuses or does not answer.
    """
    reason = reason.strip()
    if not reason:
        raise InvalidInput("reason: say why the session is ended; whoever lost their work will ask", "reason")
    if "end_session" not in server.abilities:
        raise Unsupported(
            f"sessions of {server.name} cannot be ended from here: its account may not, or its engine has no way for it"
        )
    # before it is done, so that a session is never ended without a line that says so
    store.note("session asked to end", server=server.name, session=number, user=user, reason=reason)
    probe = probe_of(store, server.id)
    try:
        ended = probe.end_session(number, user)
    finally:
        probe.close()
    if not ended:
        raise NotFound(f"there is no session {number} of {user or 'nobody'} on {server.name} any more")
    title = f"session {number}{f' of {user}' if user else ''} was ended: {reason}"
    with store.write() as session:
        note_change(session, [server], "note", title[:200], "", now_us, who, now_us)
