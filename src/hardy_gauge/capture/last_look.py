"""The last look at a server's sessions, as the recorder took it: what Now shows asks the server nothing more."""

from __future__ import annotations

from collections.abc import Iterable

from hardy_gauge.capture.statement_registry import Known, StatementRegistry, key_of
from hardy_gauge.core.activity.now import IDLE, Look, SessionNow, state_of
from hardy_gauge.probes import protocol as p
from hardy_gauge.probes.wait_map import wait_map


def look_of(
    at_us: int, every_s: float, sessions: Iterable[p.Session], holders: Iterable[p.Holder], registry: StatementRegistry, error: str
) -> Look:  # fmt: skip
    """``at_us`` is the server's clock, by which it tells when calls began."""
    rows, family_of = [], wait_map(registry.engine).family
    for one in sessions:
        family = family_of(one.wait_event)
        waits_for = one.waits_for()
        rows.append(
            SessionNow(
                one.session, state_of(family, waits_for), one.user, one.service, one.database, one.client, one.route, _statement(one, registry),
                one.wait_event, family, waits_for, _age(at_us, one.began_us), _age(at_us, one.transaction_began_us),
                one.object, one.stage, one.done,
            )
        )  # fmt: skip
    for holder in holders:
        rows.append(
            SessionNow(
                holder.session, IDLE, holder.user, holder.service, holder.database, holder.client, "",
                _statement(holder, registry), "", "", [], _age(at_us, holder.idle_since_us), _age(at_us, holder.transaction_began_us),
            )
        )  # fmt: skip
    return Look(at_us, every_s, rows, error)


def _statement(row: p.Session | p.Holder, registry: StatementRegistry) -> int | None:
    known: Known | None = registry.known.get(key_of(row) or "")
    return known.statement_id if known is not None else None


def _age(at_us: int, since_us: int | None) -> float | None:
    return None if since_us is None else max(0.0, (at_us - since_us) / 1e6)
