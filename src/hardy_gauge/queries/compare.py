"""Two sides beside each other: windows of a scope, servers, clusters; of one service, user or statement where asked for."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import replace
from typing import Any

import numpy as np
import polars as pl
from numpy.typing import NDArray

from hardy_gauge.core.activity.wait_families import FAMILIES
from hardy_gauge.core.changes.followed import Shown
from hardy_gauge.core.compare.sheet import Comparison, Explained, Figure, Part, Side
from hardy_gauge.core.compare.split import split
from hardy_gauge.core.diagnosis.improvement import TRIFLE, after_before
from hardy_gauge.core.figures.catalogue import FIGURES
from hardy_gauge.core.figures.minutes import by_minute_of_servers
from hardy_gauge.core.figures.together import together
from hardy_gauge.core.narrative.compare import comparison_notes, comparison_sentence, span_words
from hardy_gauge.core.time.span import DAY_US, MINUTE_US, SECOND_US, Span, merged
from hardy_gauge.core.time.steps import Times, grid_of, means_of_many, sums
from hardy_gauge.core.time.window import Window
from hardy_gauge.errors import InvalidInput
from hardy_gauge.queries.compare_sides import Asked, Of, OneSide
from hardy_gauge.queries.compare_unlike import unlike_of
from hardy_gauge.queries.coverage import covered, first_recorded_us, sampled
from hardy_gauge.queries.reader import Reader
from hardy_gauge.queries.samples import read_samples
from hardy_gauge.queries.scope import servers_in
from hardy_gauge.queries.statements import read_intervals, texts_of
from hardy_gauge.store.servers import is_behind_address

WORK = ("active_sessions", "response_s", "calls_per_s", "processor_busy", "data_volume_busy", "log_volume_busy", "pages_read_per_s",
        "commits_per_s", "log_bytes_per_s", "read_share")  # fmt: skip
MOST_PARTS = 12
Array = np.ndarray[Any, np.dtype[np.float64]]


def comparison(reader: Reader, left: Asked, right: Asked) -> Comparison:
    """Left is what the right is compared with. InvalidInput where both are the same."""
    if left == right:
        detail = "with: both sides are the same; choose another window or another server"
        raise InvalidInput(detail, "with", "Nothing to compare")
    sides = [OneSide(one.scope, one.span, servers_in(reader, one.scope), one.of) for one in (left, right)]
    recorded = [covered(reader, side.servers, side.span, "counters") for side in sides]
    seconds = [max(one.values(), default=0.0) for one in recorded]
    named = [Side(_words(side, sides), side.scope, side.span.iso(), s) for side, s in zip(sides, seconds, strict=True)]
    figures = [] if any(side.of.narrows for side in sides) else _work(reader, sides)
    figures += _waits(reader, sides)
    figures.sort(key=lambda one: (one.shown != "shown", -_size(one), one.title))
    explained = _explained(reader, sides)
    unlike = unlike_of(reader, sides)
    load = next((one for one in figures if one.name in ("active_sessions", "all")), None)
    notes = comparison_notes(
        left.span,
        right.span,
        [[o.name for o in side.servers if not one.get(o.id)] for side, one in zip(sides, recorded, strict=True)],
    )
    return Comparison(
        comparison_sentence(named[0], named[1], load, explained, unlike), named[0], named[1], figures,
        sum(one.shown == "no difference shown" for one in figures), explained, unlike, notes,
    )  # fmt: skip


def sides_of(reader: Reader, window: Window, scope: str, other: str, left: Of, right: Of) -> tuple[Asked, Asked]:
    """Left and right as an address has them: the focus of the scope is right; left is ``other``, or what the reference says. With a
    typical day as reference it is the same time a week before, for a comparison needs minutes of its own. A bundle that is
    older than the focus stands for itself, whole.
    """
    reference, span = window.reference, window.focus
    if reference.kind == "server":
        other = other or str(reference.server)
    elif reference.span is not None:
        span = reference.span
    elif not other and left == right:
        span = span.moved(-7 * DAY_US)
    return _in_its_file(reader, Asked(other or scope, span, left)), _in_its_file(
        reader, Asked(scope, window.focus, right)
    )


def _in_its_file(reader: Reader, asked: Asked) -> Asked:
    """A side whose servers all came in files, and that has nothing of the window: all that was recorded of it, for there is no more."""
    servers = servers_in(reader, asked.scope)
    if not servers or any(is_behind_address(one.address) for one in servers):
        return asked
    begun = list(first_recorded_us(reader, servers).values())
    ended = [one.capture.recorded_until_us for one in servers if one.capture.recorded_until_us]
    if not begun or not ended or (min(begun) < asked.span.until_us and max(ended) > asked.span.since_us):
        return asked
    return replace(asked, span=Span(min(begun), max(ended)))


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
        ids = np.array([one.id for one in side.servers])
        frame = reader.counters(ids.tolist(), side.span, {c for name in WORK for c in FIGURES[name].columns})
        found: dict[str, Array] = {}
        for name in WORK:
            owners, times, values = by_minute_of_servers(frame, FIGURES[name])
            known = np.isfinite(values)
            rows = means_of_many(ids, owners[known], times[known], values[known], grid, MINUTE_US)
            found[name] = together(rows, FIGURES[name].kind == "ratio")
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
        seen = np.all(
            [_mostly(spans, grid) for spans in looked.values() if spans] or [np.ones(len(grid), bool)], axis=0
        )
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


def _mostly(spans: Sequence[Span], grid: Times) -> NDArray[np.bool_]:
    """Of which minutes at least half was looked at."""
    parts = np.zeros(len(grid))
    for span in merged(spans):
        parts += np.clip(np.minimum(grid + MINUTE_US, span.until_us) - np.maximum(grid, span.since_us), 0, None)
    return parts >= MINUTE_US / 2


def _explained(reader: Reader, sides: Sequence[OneSide]) -> Explained | None:
    """None where a side has no statement counters."""
    rates: list[dict[str, tuple[float, float]]] = []
    for side in sides:
        frame = read_intervals(reader, side.servers, side.span)
        seconds = {i: s for i, s in covered(reader, side.servers, side.span, "statements").items() if s > 0}
        if frame.is_empty() or not seconds:
            return None
        rows = frame.filter(pl.col("server_id").is_in(list(seconds)), *side.of.expressions())
        rows = rows.group_by("server_id", "statement").agg(pl.col("calls", "time_s").sum())
        rate: dict[str, tuple[float, float]] = {}
        for server_id, number, calls, time_s in rows.iter_rows():  # each server by the time for which it was counted
            if number is not None:
                was = rate.get(str(number), (0.0, 0.0))
                rate[str(number)] = was[0] + calls / seconds[server_id], was[1] + time_s / seconds[server_id]
        rates.append(rate)
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
