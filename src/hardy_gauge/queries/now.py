"""What runs at this moment on the servers of a scope, from the last look that the recorder took."""

from __future__ import annotations

from collections.abc import Callable, Sequence

import polars as pl
from sqlalchemy import select

from hardy_gauge.core.activity.now import HELD_UP, LONG_S, Look, Now, ServerNow, SessionRow, arranged, counted_now
from hardy_gauge.core.narrative.now import now_sentence, session_words
from hardy_gauge.core.time.span import MINUTE_US, Span
from hardy_gauge.queries.reader import Reader
from hardy_gauge.queries.scope import servers_in
from hardy_gauge.queries.statements import texts_of
from hardy_gauge.store.models import Plan, Server

LookOf = Callable[[int], Look | None]
MOST = 500
FRESH_US = 10 * MINUTE_US
OPEN = ("sessions_open", "sessions_limit")


def now_of(reader: Reader, look_of: LookOf, scope: str, details: bool) -> Now:
    """Counts of every server; of a single one its sessions too, where ``details`` are asked for."""
    servers = servers_in(reader, scope)
    looks = {server.id: look_of(server.id) for server in servers}
    opened = _open(reader, servers)
    counts = [counted_now(server.name, looks[server.id], *opened.get(server.id, (None, None))) for server in servers]
    rows: list[SessionRow] | None = None
    left_out = 0
    if details and len(servers) == 1:
        look = looks[servers[0].id]
        rows = [] if look is None else _rows(reader, servers[0], look)
        left_out = 0 if look is None else len(look.sessions) - len(rows)
    counts.sort(key=_busiest)
    may_end = len(servers) == 1 and "end_session" in servers[0].abilities and looks[servers[0].id] is not None
    return Now(now_sentence(scope, counts), reader.clock(), LONG_S, counts, rows, left_out, may_end)


def _busiest(one: ServerNow) -> tuple[int, int, str]:
    by_state = {count.name: count.count for count in one.states}
    return -by_state.get(HELD_UP, 0), -sum(by_state.values()), one.server


def _open(reader: Reader, servers: Sequence[Server]) -> dict[int, tuple[int | None, int | None]]:
    """By server, sessions open and their limit, as reported in the last minutes."""
    now = reader.clock()
    frame = reader.counters([server.id for server in servers], Span(now - FRESH_US, now), OPEN)
    if frame.is_empty():
        return {}
    told = [
        pl.col(name).drop_nulls().last().cast(pl.Int64) if name in frame.columns else pl.lit(None, pl.Int64).alias(name)
        for name in OPEN
    ]
    rows = frame.group_by("server_id", maintain_order=True).agg(told).iter_rows()
    return {server_id: (opened, limit) for server_id, opened, limit in rows}


def _rows(reader: Reader, server: Server, look: Look) -> list[SessionRow]:
    placed = arranged(look.sessions)[:MOST]
    numbers = [one.statement for _, one in placed if one.statement is not None]
    texts = texts_of(reader, numbers)
    with reader.store.read() as session:
        plans = {
            number: key
            for number, key in session.execute(
                select(Plan.statement_id, Plan.plan_key)
                .where(Plan.server_id == server.id, Plan.statement_id.in_(set(numbers)))
                .order_by(Plan.taken_us)
            ).all()
        }
    rows = []
    for depth, one in placed:
        text = texts.get(one.statement or -1)
        rows.append(
            SessionRow(
                one.session, depth, one.state, session_words(one), one.user, one.service, one.database, one.client, one.route,
                text.fingerprint if text else "", text.text if text else "", plans.get(one.statement or -1, ""), one.wait_event,
                one.wait_family, one.blockers, one.call_s, one.transaction_s, one.object, one.stage, one.done,
            )
        )  # fmt: skip
    return rows
