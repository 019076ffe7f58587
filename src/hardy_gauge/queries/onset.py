"""When a finding began: the change of level of what it shows in, over the hours before the end of its focus."""

from __future__ import annotations

import numpy as np
import polars as pl

from hardy_gauge.core.diagnosis.finding import Signal
from hardy_gauge.core.figures.catalogue import Figure, is_level, recorded_figure, volume_latencies
from hardy_gauge.core.reference.shift import change_point
from hardy_gauge.core.time.span import HOUR_US, MINUTE_US, Span
from hardy_gauge.queries.reader import Reader, Times, Values
from hardy_gauge.queries.samples import read_samples
from hardy_gauge.queries.statements import read_intervals, texts_of
from hardy_gauge.store import segments
from hardy_gauge.store.models import Server

BACK_US, BACK_OF_FIGURES_US = 3 * HOUR_US, 6 * HOUR_US
LEAST_RATIO = 1.15  # of the levels after and before, either way: less is no change of level
NOTHING = 0.01  # of the most there is: before it, there was nothing
FEWEST = 5
COLUMNS = {"statement": "time_s", "calls": "calls", "errors": "errors"}
LASTING = 0.5  # of the time since, in which there is something: else it only flickered


def onset_us(reader: Reader, server: Server, signal: Signal | None, until_us: int) -> int | None:
    """None where there is no signal, or where it has no change of level in the hours before."""
    if signal is None:
        return None
    if signal.kind == "moment":
        return signal.at_us
    back_us = BACK_OF_FIGURES_US if signal.kind == "figure" else BACK_US
    times, values = series_of(reader, server, signal, Span(until_us - back_us, until_us))
    at = began_at(values)
    return None if at is None else int(times[at])


def began_at(values: Values) -> int | None:
    """Index at which a series changed its level: its first value where there was nothing before, else the split that explains most."""
    if len(values) < 2 * FEWEST:
        return None
    most = float(np.abs(values).max())
    if most > 0 and float(np.abs(values[:FEWEST]).max()) <= NOTHING * most:
        first = int(np.argmax(np.abs(values) > NOTHING * most))
        if float((np.abs(values[first:]) > NOTHING * most).mean()) >= LASTING:
            return first
    floor = max(float(np.median(np.abs(values))) * NOTHING, 1e-9)
    at = change_point(np.log(np.maximum(values, floor)))
    if at is None:
        return None
    before, after = max(float(values[:at].mean()), floor), max(float(values[at:].mean()), floor)
    return at if max(before, after) >= LEAST_RATIO * min(before, after) else None


def series_of(reader: Reader, server: Server, signal: Signal, span: Span) -> tuple[Times, Values]:
    """By minute what a signal names, over a span: seconds of a statement, its calls or errors, session seconds of a wait family, or a
    figure against its usual course.
    """
    if signal.kind in COLUMNS:
        return _statement(reader, server, signal.name, COLUMNS[signal.kind], span)
    if signal.kind == "family":
        samples = read_samples(reader, [server], span, ["wait_family"])
        return _by_minute(
            samples.filter(pl.col("wait_family") == signal.name).select("at_us", pl.lit(1.0).alias("n")), "n", span
        )
    figure = figure_named(reader, server, signal.name, span)
    if figure is None:
        return np.empty(0, np.int64), np.empty(0)
    times, values = reader.minutes(server.id, figure, span)
    _, usual, _ = reader.usual_of(server.id, [figure])[figure.name].at(times)
    if len(usual) and np.isfinite(usual).all() and float(usual.min()) > NOTHING * float(values.max()):
        values = values / usual  # without the rhythm of the day
    if (
        len(times) and times[0] > span.since_us + MINUTE_US * FEWEST
    ):  # it is reported since then: before, there was nothing to report
        missing = np.arange(span.since_us // MINUTE_US * MINUTE_US, times[0], MINUTE_US)
        times, values = np.concatenate([missing, times]), np.concatenate([np.zeros(len(missing)), values])
    return times, values


def figure_named(reader: Reader, server: Server, name: str, span: Span) -> Figure | None:
    """The figure that a signal names; None where it was not recorded in the span."""
    columns = reader.counters([server.id], span).columns
    latencies = {one.name: one for one in volume_latencies(columns)}
    if name not in latencies and name not in columns:
        return None
    return latencies.get(name) or recorded_figure(name, not is_level(name))


def _statement(reader: Reader, server: Server, fingerprint: str, column: str, span: Span) -> tuple[Times, Values]:
    numbers = [number for number, one in texts_of(reader).items() if one.fingerprint == fingerprint]
    frame = read_intervals(reader, [server], span)
    if column == "errors" and (column not in frame.columns or frame[column].is_null().all()):
        return _said(reader, server, numbers, span)
    if not numbers or column not in frame.columns:
        return np.empty(0, np.int64), np.empty(0)
    return _by_minute(frame.filter(pl.col("statement").is_in(numbers)), column, span)


def _said(reader: Reader, server: Server, numbers: list[int], span: Span) -> tuple[Times, Values]:
    """Errors of a statement that the log reports."""
    with reader.store.read() as session:
        frame = segments.read(
            session, [server.id], "message", span.since_us, span.until_us, ["statement", "severity", "count"]
        )
    if frame.is_empty():
        return np.empty(0, np.int64), np.empty(0)
    failed = frame.filter(pl.col("severity") == "error", pl.col("statement").is_in(numbers))
    return _by_minute(failed, "count", span)


def _by_minute(frame: pl.DataFrame, column: str, span: Span) -> tuple[Times, Values]:
    """Sums by minute, nothing being nothing."""
    minutes = np.arange(span.since_us // MINUTE_US, span.until_us // MINUTE_US)
    sums = np.zeros(len(minutes))
    if not frame.is_empty():
        at = (frame["at_us"].to_numpy() // MINUTE_US - minutes[0]).astype(int)
        inside = (at >= 0) & (at < len(minutes))
        np.add.at(sums, at[inside], frame[column].fill_null(0.0).to_numpy()[inside])
    return minutes * MINUTE_US, sums
