"""Figures of a server over a span beside their usual range."""

from __future__ import annotations

import math
from collections.abc import Sequence

import numpy as np
import polars as pl

from hardy_gauge.core.figures.catalogue import FIGURES, Figure
from hardy_gauge.core.figures.gauge import Gauge, NamedGauge
from hardy_gauge.core.figures.minutes import over_span
from hardy_gauge.core.reference.usual_range import UsualRange, mean_bounds, word
from hardy_gauge.core.time.span import DAY_US, MINUTE_US, Span
from hardy_gauge.queries.reader import Reader

RECENT_US = 10 * MINUTE_US
USUAL_POINTS = 48
TRACE_POINTS = 96


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
    moments = np.linspace(span.since_us, span.until_us, USUAL_POINTS).astype(np.int64)
    found = []
    for figure, bounds in zip(figures, mean_bounds(usual, moments), strict=True):
        value = over_span(rows, figure)
        low, centre, high = (float(bound) for bound in bounds)
        said = "not recorded" if value is None else word(value, low, high)
        known = [bound if math.isfinite(bound) else None for bound in (low, centre, high)]
        found.append(Gauge(value, known[0], known[1], known[2], said))
    return found


def recent_gauge(reader: Reader, server_id: int, name: str, until_us: int) -> Gauge:
    """A figure over the last ten minutes."""
    return gauge(reader, server_id, name, Span(until_us - RECENT_US, until_us))


def named_gauge(reader: Reader, server_id: int, name: str, span: Span) -> NamedGauge:
    """The gauge of a figure of the catalogue over a span."""
    found, figure = gauge(reader, server_id, name, span), FIGURES[name]
    return NamedGauge(found.value, found.low, found.centre, found.high, found.word, name, figure.title, figure.unit)


def trace(reader: Reader, server_id: int, until_us: int) -> list[float | None]:
    """The last day's active sessions in 96 quarters of an hour."""
    since = until_us - DAY_US
    times, values = reader.figure(server_id, "active_sessions", Span(since, until_us))
    place = np.clip((times - since) * TRACE_POINTS // DAY_US, 0, TRACE_POINTS - 1).astype(np.int64)
    count, total = (np.bincount(place, weights=w, minlength=TRACE_POINTS) for w in (None, values))
    return [float(t / n) if n else None for t, n in zip(total, count, strict=True)]
