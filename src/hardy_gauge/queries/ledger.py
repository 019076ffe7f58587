"""The ledger of a scope over a window: entries, mosaic and stack, beside the reference."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from typing import Any

import numpy as np
import polars as pl
from sqlalchemy import select

from hardy_gauge.core.activity.ledger import (
    DIMENSIONS,
    Dimension,
    entries_of_servers,
    filtered,
    over_time,
    time_spent,
)
from hardy_gauge.core.activity.ledger_sheet import Cell, Entry, Ledger, Stack, mosaic_of
from hardy_gauge.core.activity.wait_families import FAMILIES
from hardy_gauge.core.narrative.comparison import compared
from hardy_gauge.core.narrative.ledger import ledger_sentence
from hardy_gauge.core.reference.typical_day import Typical, typical_sum
from hardy_gauge.core.time.span import SECOND_US, Span, overlap_s
from hardy_gauge.core.time.window import Window
from hardy_gauge.errors import InvalidInput
from hardy_gauge.queries.coverage import sampled
from hardy_gauge.queries.reader import Reader
from hardy_gauge.queries.reference import ReferenceSpans, reference_spans
from hardy_gauge.queries.samples import read_samples
from hardy_gauge.queries.scope import servers_in
from hardy_gauge.store.models import Statement

STEPS = 120
SHORTEST_STEP_US = 10 * SECOND_US
SMOOTHED_US = 15 * 60 * SECOND_US
MOST_SERIES = 11
# a step of which less was looked at is left blank: a look or two say little
LEAST_SEEN = 0.2
NOT_KNOWN = "not known"
FILTER = "filter."


def check_filters(names: Iterable[str]) -> None:
    """InvalidInput when one of the names, such as "filter.user", is of no dimension."""
    for name in names:
        if name.removeprefix(FILTER) not in DIMENSIONS:
            detail = f"{name}: no such dimension; there are {', '.join(DIMENSIONS)}"
            raise InvalidInput(detail, name, "Unknown dimension")


def ledger(
    reader: Reader,
    window: Window,
    scope: str,
    by: Dimension,
    against: Dimension,
    filters: Mapping[Dimension, list[str]],
) -> Ledger:
    """InvalidInput when a dimension is crossed with itself."""
    if by == against:
        raise InvalidInput("against: choose another dimension than 'by'", "against", "One dimension twice")
    servers = servers_in(reader, scope)
    names = _Names(reader)
    typed = names.typed(filters)
    columns = list(dict.fromkeys([by, against, *typed]))
    looked = sampled(reader, servers, window.focus)
    seconds = {server_id: sum(span.seconds for span in spans) for server_id, spans in looked.items()}
    seconds = {server_id: s for server_id, s in seconds.items() if s > 0}
    samples = filtered(read_samples(reader, servers, window.focus, columns), typed)
    samples = names.keyed(names.keyed(samples, by), against)
    rows = entries_of_servers(samples, [by], seconds)
    spans = reference_spans(reader, servers, window, "samples")
    before = _earlier(reader, spans, names, columns, typed, by, against)
    grids = spans.grids(_summed(before, [by]))
    both = spans.grids(_summed(before, [by, against]))
    name = window.reference.name
    found = [
        _entry(row, by, names.label(by, row[by]), spans.rate(grids.get(row[by])), name)
        for row in rows.iter_rows(named=True)
    ]
    total = sum(entry.active_sessions for entry in found)
    usual = spans.rate(spans.grids(_summed(before, [])).get(""))
    cells = [
        Cell(r[by], r[against], r["active_sessions"], r["low"], r["high"], _value(spans.rate(both.get((r[by], r[against])))))
        for r in entries_of_servers(samples, [by, against], seconds).iter_rows(named=True)
    ]  # fmt: skip
    labels = {
        key: names.label(dimension, key) for dimension in (by, against) for key in samples[dimension].unique().to_list()
    }
    looked_at = sum(seconds.values()) / max(len(servers), 1)
    return Ledger(
        sentence=ledger_sentence(scope, found, total, looked_at, usual, name, bool(filters)),
        reference_note=spans.note(),
        focus=window.focus.iso(), seconds=looked_at, active_sessions=total, reference=usual, by=by, against=against,
        entries=found, mosaic=mosaic_of(cells), labels=labels, stack=_stack(window, samples, by, looked, spans, before),
        filters={str(name): values for name, values in filters.items()},
    )  # fmt: skip


class _Names:
    """Statements by fingerprint in place of their ids, and what each key of a dimension is called."""

    def __init__(self, reader: Reader) -> None:
        with reader.store.read() as session:
            rows = session.execute(select(Statement.id, Statement.fingerprint, Statement.text)).all()
        self.ids = {row[1]: row[0] for row in rows}
        self.texts = {row[1]: row[2] for row in rows} | {"none": "no statement known"}
        self._table = pl.DataFrame(
            {"statement": list(self.ids.values()), "key": list(self.ids)},
            schema={"statement": pl.Int32, "key": pl.String},
        )

    def typed(self, filters: Mapping[Dimension, list[str]]) -> dict[str, list[Any]]:
        """Filters as they stand in the samples: statements by their id."""
        found: dict[str, list[Any]] = {str(name): list(values) for name, values in filters.items()}
        if "statement" in found:
            found["statement"] = [self.ids[key] for key in found["statement"] if key in self.ids]
        return found

    def keyed(self, frame: pl.DataFrame, dimension: str) -> pl.DataFrame:
        """The column as text keys."""
        if dimension != "statement":
            return frame.with_columns(pl.col(dimension).cast(pl.String).fill_null(NOT_KNOWN))
        frame = frame.with_columns(pl.col("statement").cast(pl.Int32)).join(self._table, on="statement", how="left")
        return frame.with_columns(pl.col("key").fill_null("none").alias("statement")).drop("key")

    def label(self, dimension: str, key: str) -> str:
        return self.texts.get(key, key) if dimension == "statement" else key


def _earlier(
    reader: Reader, spans: ReferenceSpans, names: _Names, columns: list[str], typed: dict[str, list[Any]], by: str, against: str
) -> pl.DataFrame:  # fmt: skip
    """Samples of all reference spans with the number of their ``span``."""
    frames = []
    for number, span in enumerate(spans.spans):
        frame = filtered(read_samples(reader, spans.servers, span, columns), typed)
        if "weight" not in frame.columns:
            frame = frame.with_columns(pl.lit(1.0).alias("weight"))
        keyed = names.keyed(names.keyed(frame, by), against)
        frames.append(
            keyed.select("at_us", "server_id", by, against, "weight").with_columns(pl.lit(number).alias("span"))
        )
    return pl.concat(frames, how="vertical_relaxed") if frames else pl.DataFrame()


def _summed(before: pl.DataFrame, by: Sequence[str]) -> list[tuple[object, int, int, float]]:
    """Key, server id, span and seconds spent; the key is "" of no dimension, a pair of two."""
    if before.is_empty():
        return []
    rows = before.group_by([*by, "server_id", "span"]).agg(time_spent(before).alias("spent"))
    return [
        ("" if not by else row[0] if len(by) == 1 else (row[0], row[1]), row[-3], row[-2], row[-1])
        for row in rows.iter_rows()
    ]


def _value(typical: Typical | None) -> float | None:
    return None if typical is None else typical.value


def _entry(row: dict[str, Any], by: str, label: str, reference: Typical | None, name: str) -> Entry:
    return Entry(
        key=row[by], label=label, active_sessions=row["active_sessions"], low=row["low"], high=row["high"],
        share=row["share"], samples=row["samples"], reference=reference,
        difference=compared(row["active_sessions"], reference, name),
    )  # fmt: skip


def _stack(
    window: Window, samples: pl.DataFrame, by: str, looked: Mapping[int, list[Span]], spans: ReferenceSpans, before: pl.DataFrame
) -> Stack:  # fmt: skip
    focus = window.focus
    step = max(SHORTEST_STEP_US, (focus.until_us - focus.since_us) // STEPS // SHORTEST_STEP_US * SHORTEST_STEP_US)
    since = focus.since_us // step * step
    grid = np.arange(since, focus.until_us, step, dtype=np.int64)
    seen = _seen(grid, step, looked)
    frame = over_time(samples, by, since, focus.until_us, step)
    most = samples.group_by(by).agg(time_spent(samples).alias("s")).sort("s", descending=True)
    top = most[by].to_list()[:MOST_SERIES]
    if by == "wait_family":
        top = [family for family in FAMILIES if family in set(top)]
    series: dict[str, list[float | None]] = {}
    for key in top:
        mine = dict(frame.filter(pl.col(by) == key).select("at_us", "active_sessions").iter_rows())
        series[key] = [
            mine.get(at, 0.0) / part if part >= LEAST_SEEN else None
            for at, part in zip(grid.tolist(), seen, strict=True)
        ]
    return Stack(grid.tolist(), step, series, _outline(window, grid, step, spans, before))


def _seen(grid: np.ndarray, step: int, looked: Mapping[int, list[Span]]) -> list[float]:
    """Of each step the part that was looked at: 1 where all servers that were looked at at all were so all the time."""
    servers = [spans for spans in looked.values() if spans]
    if not servers:
        return [0.0] * len(grid)
    length = step / SECOND_US
    parts = np.zeros(len(grid))
    for spans in servers:
        parts += [overlap_s(Span(int(at), int(at) + step), spans) / length for at in grid]
    return [float(part) for part in parts / len(servers)]


def _outline(
    window: Window, grid: np.ndarray, step: int, spans: ReferenceSpans, before: pl.DataFrame
) -> list[float | None] | None:
    """What the sum of a step typically is, from counts smoothed over a quarter of an hour, as the usual range is."""
    if not spans.known:
        return None
    place = {server.id: i for i, server in enumerate(spans.servers)}
    wide = max(1, SMOOTHED_US // step | 1) if window.reference.kind == "typical day" else 1
    counts = np.zeros((len(spans.servers), len(spans.spans), len(grid)))
    if not before.is_empty():
        starts = np.array([span.since_us for span in spans.spans])[before["span"].to_numpy()]
        slots = (before["at_us"].to_numpy() - starts + window.focus.since_us - grid[0]) // step
        inside = (slots >= 0) & (slots < len(grid))
        owners = np.array([place[i] for i in before["server_id"].to_list()], dtype=np.int64)
        at = (owners[inside], before["span"].to_numpy()[inside], slots[inside])
        np.add.at(counts, at, before["weight"].to_numpy()[inside])
    passed = (grid + step - np.maximum(grid, window.focus.since_us)).astype(float) / SECOND_US
    kernel = np.ones(min(wide, len(grid)))
    weights = np.convolve(passed, kernel, "same")
    known = np.where(np.isfinite(spans.seconds), 1.0, np.nan)
    smooth = np.apply_along_axis(lambda row: np.convolve(row, kernel, "same"), 2, counts) / weights
    typical = [typical_sum(smooth[:, :, i] * known) for i in range(len(grid))]
    return [None if one is None else one.value for one in typical]
