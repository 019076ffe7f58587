"""Plans that a server keeps for statements, with what was counted by each."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

import polars as pl
from sqlalchemy import select

from hardy_gauge.core.evidence.evidence import Unknown
from hardy_gauge.core.narrative.pins import NOT_ABLE, pin_words, pins_sentence
from hardy_gauge.core.plans.pins import STATES, PinFacts, PinState, state_of
from hardy_gauge.core.statements.ratios import per_call
from hardy_gauge.core.time.span import DAY_US, HOUR_US, Span
from hardy_gauge.queries.reader import Reader
from hardy_gauge.queries.scope import server_named
from hardy_gauge.queries.statements import read_intervals, texts_of
from hardy_gauge.store.models import Server, Snapshot

BEFORE_US = 7 * DAY_US
UNKNOWN = -1


@dataclass(frozen=True)
class Counted:
    """Calls of a statement by one plan."""

    calls: float = 0.0
    time_s: float = 0.0
    last_us: int = 0

    @property
    def each_s(self) -> float | None:
        return per_call(self.calls, self.time_s)


NOTHING = Counted()


@dataclass(frozen=True)
class PinRow:
    """One pin with what it does in the focus, in a word and in a sentence."""

    pin: PinFacts
    state: PinState
    words: str


@dataclass(frozen=True)
class PinSheet:
    """Those that deserve a look first; ``able`` tells whether the server can pin at all, ``seen_us`` when its pins were last new."""

    sentence: str
    able: bool
    seen_us: int | None
    pins: Sequence[PinRow]


def pin_sheet(reader: Reader, server: str, focus: Span) -> PinSheet:
    """NotFound where there is no such server."""
    owner = server_named(reader, server)
    if "pins" not in owner.abilities:
        return PinSheet(NOT_ABLE.format(server=server), False, None, [])
    with reader.store.read() as session:
        row = session.get(Snapshot, (owner.id, "pins"))
    found = pins_of(reader, owner, focus)
    if isinstance(found, Unknown):
        return PinSheet(f"Which plans {server} keeps is not known: {found.why}.", True, None, [])
    rows = [PinRow(one, state_of(one), pin_words(one)) for one in found]
    rows.sort(key=lambda one: (STATES.index(one.state), -one.pin.calls * (one.pin.now_s or 0.0)))
    seen = row.taken_us if row is not None else None
    return PinSheet(pins_sentence(server, [one.state for one in rows]), True, seen, rows)


def pins_of(reader: Reader, server: Server, focus: Span) -> Sequence[PinFacts] | Unknown:
    """As last reported, without those that began after the focus."""
    if "pins" not in server.abilities:
        return Unknown("the server has no way to pin a plan")
    with reader.store.read() as session:
        row = session.get(Snapshot, (server.id, "pins"))
    if row is None:
        return Unknown("it was not asked yet")
    kept = [one for one in row.body["pins"] if (one["since_us"] or 0) <= focus.until_us]
    if not kept:
        return []
    numbers = {one.fingerprint: number for number, one in texts_of(reader).items()}
    now = _by_plan(read_intervals(reader, [server], focus))
    return [_facts(reader, server, one, numbers.get(one["fingerprint"], UNKNOWN), now, focus) for one in kept]


def pinned_plans(reader: Reader, servers: Sequence[Server], fingerprint: str) -> set[tuple[int, str]]:
    """Server and key of the plans that are kept for a statement, as last reported."""
    with reader.store.read() as session:
        query = select(Snapshot).where(Snapshot.kind == "pins", Snapshot.server_id.in_([one.id for one in servers]))
        return {
            (row.server_id, pin["plan_key"])
            for row in session.scalars(query)
            for pin in row.body["pins"]
            if pin["fingerprint"] == fingerprint
        }


def _facts(
    reader: Reader, server: Server, pin: dict[str, Any], number: int, now: dict[int, dict[str | None, Counted]], focus: Span
) -> PinFacts:  # fmt: skip
    key, since, mine = pin["plan_key"], pin["since_us"], now.get(number, {})
    before: dict[str | None, Counted] = {}
    first: dict[str | None, Counted] = {}
    if since is not None:
        before = _counted_in(reader, server, Span(since - BEFORE_US, since)).get(number, {})
        # by whole hours, so that it is not read each minute
        day = Span(since, min(since + DAY_US, max(since, focus.until_us // HOUR_US * HOUR_US)))
        first = _counted_in(reader, server, day).get(number, {})
    # beside it in the focus, where the pin is not for all calls, or last before it
    others = [(name, counted) for name, counted in [*before.items(), *mine.items()] if name not in (None, key)]
    other = max(others, key=lambda one: one[1].last_us, default=(None, NOTHING))
    used = mine.get(key, NOTHING)
    return PinFacts(
        pin["fingerprint"], pin["text"], key, since, sum(one.calls for one in mine.values()), used.calls,
        used.each_s, first.get(key, NOTHING).each_s, other[0], other[1].each_s,
        *(pin.get(name) for name in ("kept_key", "kept_cost", "free_key", "free_cost")),
    )  # fmt: skip


def _counted_in(reader: Reader, server: Server, span: Span) -> dict[int, dict[str | None, Counted]]:
    """Of a time that is over, read once."""
    return reader.kept_as(
        ("counted by plan", server.id, span.since_us), span, lambda: _by_plan(read_intervals(reader, [server], span))
    )


def _by_plan(frame: pl.DataFrame) -> dict[int, dict[str | None, Counted]]:
    """By statement and plan."""
    if frame.is_empty() or "plan_key" not in frame.columns:
        return {}
    rows = frame.group_by("statement", "plan_key").agg(pl.col("calls", "time_s").sum(), pl.col("at_us").max())
    found: dict[int, dict[str | None, Counted]] = {}
    for statement, key, calls, time_s, last_us in rows.iter_rows():
        found.setdefault(statement, {})[key] = Counted(calls, time_s, last_us)
    return found
