"""Pinning a plan on a server and taking a pin back: asked of its probe, with a reason, and noted beside what changed there."""

from __future__ import annotations

from hardy_gauge.capture.access import probe_of
from hardy_gauge.core.sql.normalise import normalise
from hardy_gauge.errors import InvalidInput, NotFound
from hardy_gauge.probes.protocol import PinRequest, PinsPlans, Probe, Unsupported
from hardy_gauge.store.change_notes import note_change
from hardy_gauge.store.database import Store
from hardy_gauge.store.models import Server


def pin_plan(
    store: Store, server: Server, fingerprint: str, plan_key: str | None, reason: str, who: str, now_us: int
) -> None:
    """Keep a plan for a statement; None takes its pin back. NotFound where the server counts no such statement, Unsupported where it has
    no way to pin, InvalidInput without a reason; a ProbeError when the server refuses or does not answer.
    """
    reason = reason.strip()
    if not reason:
        raise InvalidInput("reason: say why; whoever meets the pin in a year will ask", "reason")
    if "pins" not in server.abilities:
        raise Unsupported(f"{server.name} has no way to pin a plan")
    # before it is done, so that nothing is pinned without a line that says so
    what = "plan asked to be pinned" if plan_key else "pin asked to be taken back"
    store.note(what, server=server.name, statement=fingerprint, plan=plan_key or "", reason=reason)
    probe, done = probe_of(store, server.id), 0
    try:
        assert isinstance(probe, PinsPlans), "the ability says so"
        for key in _keys(probe, fingerprint):
            probe.pin(PinRequest(statement=key, plan_key=plan_key))
            done += 1
    finally:
        probe.close()
        if done:  # also where the server refused the next of several
            title = f"plan {plan_key} was pinned: {reason}" if plan_key else f"its pin was taken back: {reason}"
            with store.write() as session:
                note_change(session, [server], "note", title[:200], fingerprint, now_us, who, now_us)


def _keys(probe: Probe, fingerprint: str) -> list[str]:
    """What the server calls a statement: a name for each user or service it counts apart."""
    rows = probe.statements().statements
    keys = dict.fromkeys(row.key for row in rows if normalise(row.text).fingerprint == fingerprint)
    if not keys:
        raise NotFound(f"the server counts no statement '{fingerprint}' now", "fingerprint", "Unknown statement")
    return list(keys)
