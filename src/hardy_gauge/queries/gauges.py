"""Figures of a server over a span beside their usual range."""

from __future__ import annotations

import math
from collections.abc import Sequence

import numpy as np
import polars as pl

from hardy_gauge.core.figures.catalogue import FIGURES, Figure
from hardy_gauge.core.figures.gauge import Gauge, NamedGauge
from hardy_gauge.core.figures.minutes import by_minute_of_servers, over_span, over_span_by_server
from hardy_gauge.core.reference.usual_range import UsualRange, mean_bounds, word
from hardy_gauge.core.time.span import MINUTE_US, Span
from hardy_gauge.queries.reader import Reader

RECENT_US = 10 * MINUTE_US
USUAL_POINTS = 48
QUARTER_US, TRACE_POINTS = 15 * MINUTE_US, 96


def gauge(reader: Reader, server_id: int, name: str, span: Span) -> Gauge:
    """A figure over a span, with its usual range over the same time of day."""
    figure = FIGURES[name]
    rows = reader.counters([server_id], span, figure.columns)
    return gauge_of(rows, figure, reader.usual(server_id, name), span)


def gauge_of(rows: pl.DataFrame, figure: Figure, usual: UsualRange, span: Span) -> Gauge:
    """The same of any figure, from the server's rows in the span, with the usual range that is given."""
    return gauges_of(rows, [figure], [usual], span)[0]


def gauges_of(rows: pl.DataFrame, figures: Sequence[Figure], usual: Sequence[UsualRange], span: Span) -> list[Gauge]:
    """The same of many figures at once, each with its usual range."""
    return _beside([over_span(rows, figure) for figure in figures], usual, span)


def _beside(values: Sequence[float | None], usual: Sequence[UsualRange], span: Span) -> list[Gauge]:
    moments = np.linspace(span.since_us, span.until_us, USUAL_POINTS).astype(np.int64)
    found = []
    for value, bounds in zip(values, mean_bounds(usual, moments), strict=True):
        low, centre, high = (float(bound) for bound in bounds)
        said = "not recorded" if value is None else word(value, low, high)
        known = [bound if math.isfinite(bound) else None for bound in (low, centre, high)]
        found.append(Gauge(value, known[0], known[1], known[2], said))
    return found


def recent_gauges(reader: Reader, server_ids: Sequence[int], name: str, until_us: int) -> dict[int, Gauge]:
    """A figure of each server over the last ten minutes."""
    span, figure = Span(until_us - RECENT_US, until_us), FIGURES[name]
    values = over_span_by_server(reader.counters(server_ids, span, figure.columns), figure)
    usual = [reader.usual(server_id, name) for server_id in server_ids]
    return dict(zip(server_ids, _beside([values.get(i) for i in server_ids], usual, span), strict=True))


def named_gauge(reader: Reader, server_id: int, name: str, span: Span) -> NamedGauge:
    """The gauge of a figure of the catalogue over a span."""
    found, figure = gauge(reader, server_id, name, span), FIGURES[name]
    return NamedGauge(found.value, found.low, found.centre, found.high, found.word, name, figure.title, figure.unit)


def traces(reader: Reader, server_ids: Sequence[int], until_us: int) -> dict[int, list[float | None]]:
    """Of each server the last day's active sessions in 96 quarters of an hour, the last of which is not over."""
    quarter = (until_us - 1) // QUARTER_US
    over = reader.kept_as(
        ("traces", tuple(server_ids)),
        quarter,
        lambda: _quarters(reader, server_ids, quarter - TRACE_POINTS + 1, quarter),
    )
    begun = _quarters(reader, server_ids, quarter, quarter + 1)
    return {server_id: [*over[server_id], *begun[server_id]] for server_id in server_ids}


def _quarters(reader: Reader, server_ids: Sequence[int], first: int, end: int) -> dict[int, list[float | None]]:
    figure = FIGURES["active_sessions"]
    frame = reader.counters(server_ids, Span(first * QUARTER_US, end * QUARTER_US), figure.columns)
    owners, times, values = by_minute_of_servers(frame, figure)
    place = {server_id: number for number, server_id in enumerate(server_ids)}
    known = np.isfinite(values)
    rows = np.array([place[owner] for owner in owners[known].tolist()], dtype=np.int64)
    at = rows * (end - first) + times[known] // QUARTER_US - first
    size = len(server_ids) * (end - first)
    count, total = (np.bincount(at, weights=w, minlength=size) for w in (None, values[known]))
    means = [t / n if n else None for t, n in zip(total.tolist(), count.tolist(), strict=True)]
    return {
        server_id: means[number * (end - first) : (number + 1) * (end - first)] for server_id, number in place.items()
    }
