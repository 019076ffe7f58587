"""Two sides beside each other: windows of a scope, servers, clusters; of one service, user or statement where asked for."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np
import polars as pl
from sqlalchemy import select

from hardy_gauge.core.activity.wait_families import FAMILIES
from hardy_gauge.core.changes.followed import Shown
from hardy_gauge.core.compare.sheet import Comparison, Explained, Figure, Part, Side, Unlike
from hardy_gauge.core.compare.split import split
from hardy_gauge.core.diagnosis.improvement import TRIFLE, after_before
from hardy_gauge.core.evidence.schema_changes import schema_changes
from hardy_gauge.core.figures.catalogue import FIGURES
from hardy_gauge.core.narrative.changes import value_words
from hardy_gauge.core.narrative.compare import comparison_sentence, span_words
from hardy_gauge.core.time.span import DAY_US, MINUTE_US, SECOND_US, Span
from hardy_gauge.core.time.steps import grid_of, means, sums
from hardy_gauge.core.time.window import Window
from hardy_gauge.errors import InvalidInput
from hardy_gauge.queries.coverage import covered, sampled
from hardy_gauge.queries.reader import Reader
from hardy_gauge.queries.samples import read_samples
from hardy_gauge.queries.scope import servers_in
from hardy_gauge.queries.statements import read_intervals, texts_of
from hardy_gauge.store.models import Change, Server, Snapshot

WORK = ("active_sessions", "response_s", "calls_per_s", "processor_busy", "data_volume_busy", "log_volume_busy", "pages_read_per_s",
        "commits_per_s", "log_bytes_per_s", "read_share")  # fmt: skip
MOST_PARTS = 12
Array = np.ndarray[Any, np.dtype[np.float64]]


@dataclass(frozen=True)
class Of:
    """What of both sides is compared; empty for all."""

    service: str = ""
    user: str = ""
    statement: str = ""

    @property
    def narrows(self) -> bool:
        return bool(self.service or self.user or self.statement)

    def words(self) -> str:
        said = [
            f"{name} {value}"
            for name, value in (("service", self.service), ("user", self.user), ("statement", self.statement[:8]))
            if value
        ]
        return f" of {' and '.join(said)}" if said else ""

    def expressions(self) -> list[pl.Expr]:
        return [pl.col(name) == value for name, value in (("service", self.service), ("user", self.user)) if value]


@dataclass(frozen=True)
class Asked:
    """One side as it is asked for."""

    scope: str
    span: Span
    of: Of = Of()


@dataclass(frozen=True)
class OneSide:
    scope: str
    span: Span
    servers: list[Server]
    of: Of


def comparison(reader: Reader, left: Asked, right: Asked) -> Comparison:
    """Left is what the right is compared with. InvalidInput where both are the same."""
    if left == right:
        detail = "with: both sides are the same; choose another window or another server"
        raise InvalidInput(detail, "with", "Nothing to compare")
    sides = [OneSide(one.scope, one.span, servers_in(reader, one.scope), one.of) for one in (left, right)]
    seconds = [max(covered(reader, side.servers, side.span, "counters").values(), default=0.0) for side in sides]
    named = [Side(_words(side, sides), side.scope, side.span.iso(), s) for side, s in zip(sides, seconds, strict=True)]
    figures = [] if any(side.of.narrows for side in sides) else _work(reader, sides)
    figures += _waits(reader, sides)
    figures.sort(key=lambda one: (one.shown != "shown", -_size(one), one.title))
    explained = _explained(reader, sides)
    unlike = [*_settings(reader, sides), *_schema(reader, sides), *_plans(reader, sides), *_hosts(sides)]
    load = next((one for one in figures if one.name in ("active_sessions", "all")), None)
    notes = [] if left.span.seconds == right.span.seconds else ["The two windows are not equally long."]
    return Comparison(
        comparison_sentence(named[0], named[1], load, explained, unlike), named[0], named[1], figures,
        sum(one.shown == "no difference shown" for one in figures), explained, unlike, notes,
    )  # fmt: skip


def sides_of(window: Window, scope: str, other: str, left: Of, right: Of) -> tuple[Asked, Asked]:
    """Left and right as an address has them: the focus of the scope is right; left is ``other``, or what the reference says. With a
    typical day as reference it is the same time a week before, for a comparison needs minutes of its own.
    """
    reference, span = window.reference, window.focus
    if reference.kind == "server":
        other = other or str(reference.server)
    elif reference.span is not None:
        span = reference.span
    elif not other and left == right:
        span = span.moved(-7 * DAY_US)
    return Asked(other or scope, span, left), Asked(scope, window.focus, right)


def _words(side: OneSide, sides: Sequence[OneSide]) -> str:
    """The scope where the sides differ in it, and the time where they differ in that."""
    times = span_words(side.span)
    same_time, same_scope = sides[0].span == sides[1].span, sides[0].scope == sides[1].scope
    return f"{side.scope}{side.of.words()}" + ("" if same_time and not same_scope else f", {times}")


def _size(one: Figure) -> float:
    return abs(math.log(min(max(one.ratio, 1e-4), 1e4))) if one.ratio is not None else 0.0


def _figure(group: Any, name: str, title: str, unit: str, left: Array, right: Array) -> Figure:
    """From minutes of both sides."""
    was, now = left[np.isfinite(left)], right[np.isfinite(right)]
    found = after_before(was, now)
    values = [float(one.mean()) if len(one) else None for one in (was, now)]
    if found is None:
        return Figure(group, name, title, unit, values[0], values[1], None, None, None, "cannot tell")
    shown: Shown = "shown" if found.low > 1 + TRIFLE or found.high < 1 - TRIFLE else "no difference shown"
    return Figure(group, name, title, unit, values[0], values[1], found.ratio, found.low, found.high, shown)


def _work(reader: Reader, sides: Sequence[OneSide]) -> list[Figure]:
    """Figures of the servers: rates summed over them, ratios as their mean."""
    minutes: list[dict[str, Array]] = []
    for side in sides:
        grid = grid_of(side.span, MINUTE_US)
        ids = [one.id for one in side.servers]
        found: dict[str, Array] = {}
        with reader.read_ahead(ids, side.span, (c for name in WORK for c in FIGURES[name].columns)):
            for name in WORK:
                rows = np.array([means(*reader.figure(i, name, side.span), grid, MINUTE_US) for i in ids])
                known = np.isfinite(rows).any(axis=0)
                total = np.nansum(rows, axis=0)
                if FIGURES[name].kind == "ratio":
                    total = total / np.maximum(np.isfinite(rows).sum(axis=0), 1)
                found[name] = np.where(known, total, np.nan)
        minutes.append(found)
    return [
        _figure("work", name, FIGURES[name].title, FIGURES[name].unit, minutes[0][name], minutes[1][name])
        for name in WORK
        if any(np.isfinite(one[name]).any() for one in minutes)
    ]


def _waits(reader: Reader, sides: Sequence[OneSide]) -> list[Figure]:
    """Active sessions by wait family, and of a service or user all of them, by minute."""
    minutes: list[dict[str, Array]] = []
    for side in sides:
        grid = grid_of(side.span, MINUTE_US)
        of = side.of
        columns = [
            "wait_family",
            *(
                name
                for name, value in (("service", of.service), ("user", of.user), ("statement", of.statement))
                if value
            ),
        ]
        frame = read_samples(reader, side.servers, side.span, columns)
        if "weight" not in frame.columns:
            frame = frame.with_columns(pl.lit(1.0).alias("weight"))
        if of.narrows:
            frame = frame.filter(*of.expressions(), *_of_statement(reader, of))
        looked = sampled(reader, side.servers, side.span)
        seen = np.array([any(_inside(spans, int(at)) for spans in looked.values()) for at in grid])
        found = {}
        for family in (*FAMILIES, *(["all"] if any(one.of.narrows for one in sides) else [])):
            mine = frame if family == "all" else frame.filter(pl.col("wait_family") == family)
            spent = sums(mine["at_us"].to_numpy(), mine["weight"].to_numpy().astype(float), grid, MINUTE_US)
            found[family] = np.where(seen, spent / (MINUTE_US / SECOND_US), np.nan)
        minutes.append(found)
    return [
        _figure("waits", family, "active sessions" if family == "all" else f"active sessions: {family}", "", minutes[0][family], minutes[1][family])
        for family in minutes[0]
        if any(np.nansum(one[family]) > 0 for one in minutes)
    ]  # fmt: skip


def _of_statement(reader: Reader, of: Of) -> list[pl.Expr]:
    """A condition on the statement's number; none where none is asked for."""
    if not of.statement:
        return []
    numbers = [number for number, one in texts_of(reader).items() if one.fingerprint == of.statement]
    return [pl.col("statement").is_in(numbers)]


def _inside(spans: Sequence[Span], at_us: int) -> bool:
    """Whether at least half of a minute was looked at."""
    return sum(max(0, min(s.until_us, at_us + MINUTE_US) - max(s.since_us, at_us)) for s in spans) >= MINUTE_US // 2


def _explained(reader: Reader, sides: Sequence[OneSide]) -> Explained | None:
    """None where a side has no statement counters."""
    rates: list[dict[str, tuple[float, float]]] = []
    for side in sides:
        frame = read_intervals(reader, side.servers, side.span)
        seconds = max(covered(reader, side.servers, side.span, "statements").values(), default=0.0)
        if frame.is_empty() or not seconds:
            return None
        if side.of.expressions():
            frame = frame.filter(*side.of.expressions())
        rows = frame.group_by("statement").agg(pl.col("calls", "time_s").sum())
        rates.append(
            {str(s): (calls / seconds, time_s / seconds) for s, calls, time_s in rows.iter_rows() if s is not None}
        )
    texts = texts_of(reader)
    for place, side in enumerate(sides):
        if side.of.statement:
            wanted = {str(number) for number, one in texts.items() if one.fingerprint == side.of.statement}
            rates[place] = {key: value for key, value in rates[place].items() if key in wanted}
    found = split(rates[0], rates[1])
    parts = []
    for one in found.statements[:MOST_PARTS]:
        text = texts.get(int(one.key))
        left, right = (side.get(one.key, (0.0, 0.0))[1] for side in rates)
        parts.append(
            Part(
                text.fingerprint if text else "", text.text if text else "not known", left, right, one.calls, one.mix, one.per_call,
                one.whole,
            )
        )  # fmt: skip
    rest = sum(one.whole for one in found.statements[MOST_PARTS:])
    return Explained(found.before, found.after, found.calls, found.mix, found.per_call, found.whole, parts, rest)


def _bodies(reader: Reader, sides: Sequence[OneSide], kind: str) -> list[Mapping[str, Any] | None]:
    """The latest snapshot of each side's only server; None where it has several, or none is stored."""
    found: list[Mapping[str, Any] | None] = []
    with reader.store.read() as session:
        for side in sides:
            row = session.get(Snapshot, (side.servers[0].id, kind)) if len(side.servers) == 1 else None
            found.append(row.body if row is not None else None)
    return found


def _settings(reader: Reader, sides: Sequence[OneSide]) -> list[Unlike]:
    """Between two servers what is set otherwise now; between two windows what was set between their ends."""
    if sides[0].scope == sides[1].scope:
        return _changed(reader, sides)
    bodies = _bodies(reader, sides, "settings")
    if any(body is None for body in bodies):
        return []
    left, right = ({s["name"]: s for s in body["settings"]} for body in bodies if body is not None)
    return [
        Unlike("setting", name, *(value_words(one[name]["value"], one[name]["unit"]) for one in (left, right)))
        for name in sorted(left.keys() & right.keys())
        if left[name]["value"] != right[name]["value"] and left[name].get("concerns", "work") == "work"
    ]


def _changed(reader: Reader, sides: Sequence[OneSide]) -> list[Unlike]:
    """Settings and schema that changed from the end of the earlier window to that of the later one."""
    ends = sorted(side.span.until_us for side in sides)
    turned = sides[0].span.until_us > sides[1].span.until_us
    with reader.store.read() as session:
        rows = session.scalars(
            select(Change)
            .where(
                Change.server_id.in_([one.id for one in sides[0].servers]), Change.kind.in_(("setting", "schema")),
                Change.at_us >= ends[0], Change.at_us < ends[1],
            )
            .order_by(Change.at_us)
        ).all()  # fmt: skip
    return [
        Unlike(
            "setting" if row.kind == "setting" else "schema", row.title, *((row.after, row.before) if turned else (row.before, row.after))
        )
        for row in rows
    ]  # fmt: skip


def _schema(reader: Reader, sides: Sequence[OneSide]) -> list[Unlike]:
    if sides[0].scope == sides[1].scope:
        return []
    left, right = _bodies(reader, sides, "schema")
    if left is None or right is None:
        return []
    return [Unlike("schema", one.object, one.before, one.after) for one in schema_changes(left, right)]


def _plans(reader: Reader, sides: Sequence[OneSide]) -> list[Unlike]:
    """Statements that mostly ran by another plan."""
    most: list[dict[int, str]] = []
    for side in sides:
        frame = read_intervals(reader, side.servers, side.span)
        if frame.is_empty() or "plan_key" not in frame.columns:
            return []
        rows = (
            frame.filter(pl.col("plan_key").is_not_null()).group_by("statement", "plan_key").agg(pl.col("calls").sum())
        )
        rows = rows.sort("calls", "plan_key").group_by("statement", maintain_order=True).last()
        most.append({row["statement"]: row["plan_key"] for row in rows.iter_rows(named=True)})
    texts = texts_of(reader)
    return [
        Unlike("plan", texts[number].text, most[0][number], most[1][number], texts[number].fingerprint)
        for number in sorted(most[0].keys() & most[1].keys())
        if most[0][number] != most[1][number] and number in texts
    ]


def _hosts(sides: Sequence[OneSide]) -> list[Unlike]:
    """What two servers' hosts are made of, where it is not the same."""
    if any(len(side.servers) != 1 for side in sides) or sides[0].scope == sides[1].scope:
        return []
    left, right = (side.servers[0] for side in sides)
    found = [
        Unlike("host", name, str(left.host.get(name)), str(right.host.get(name)))
        for name in ("cores", "memory_bytes")
        if left.host.get(name) != right.host.get(name)
    ]
    if left.engine_version != right.engine_version or left.engine != right.engine:
        found.append(
            Unlike("host", "software", f"{left.engine} {left.engine_version}", f"{right.engine} {right.engine_version}")
        )
    return found
