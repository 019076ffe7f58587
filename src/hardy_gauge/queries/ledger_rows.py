"""What the ledger adds up: session samples for time, and statement counters for calls, rows, pages and log."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import polars as pl

from hardy_gauge.core.activity.ledger import (
    COUNTED_DIMENSIONS,
    TIME,
    Dimension,
    Measure,
    counted_entries,
    entries_of_servers,
)
from hardy_gauge.core.figures.catalogue import SPAN
from hardy_gauge.core.narrative.ledger import not_recorded_words, not_reported_words
from hardy_gauge.core.time.coverage import Source
from hardy_gauge.core.time.span import SECOND_US, Span
from hardy_gauge.errors import InvalidInput
from hardy_gauge.queries.coverage import covered, sampled
from hardy_gauge.queries.ledger_names import read_for
from hardy_gauge.queries.reader import Reader
from hardy_gauge.queries.samples import read_samples
from hardy_gauge.queries.statements import read_intervals
from hardy_gauge.store.models import Server

SAMPLED_STEP_US, COUNTED_STEP_US = 10 * SECOND_US, 60 * SECOND_US
TOUCHING_US = 5 * SECOND_US


@dataclass(frozen=True)
class LedgerRows:
    """Rows of one measure over any span, each with what it weighs."""

    reader: Reader
    measure: Measure

    @property
    def source(self) -> Source:
        """Whose coverage counts."""
        return "samples" if self.measure == TIME else "statements"

    @property
    def shortest_step_us(self) -> int:
        """Rows do not tell more closely when it was."""
        return SAMPLED_STEP_US if self.measure == TIME else COUNTED_STEP_US

    def check(self, dimensions: Sequence[Dimension]) -> None:
        """InvalidInput where a dimension is not known of what counters count."""
        unknown = [name for name in dimensions if name not in COUNTED_DIMENSIONS]
        if self.measure != TIME and unknown:
            detail = f"{self.measure} is counted by statement and not by {unknown[0].replace('_', ' ')}: choose one of {', '.join(COUNTED_DIMENSIONS)}"
            raise InvalidInput(detail, "measure", "Not counted by that dimension")

    def looked(self, servers: Sequence[Server], span: Span) -> Mapping[int, list[Span]]:
        """The parts of the span, by server id, that were recorded."""
        if self.measure == TIME:
            return sampled(self.reader, servers, span)
        frame = self.reader.counters([server.id for server in servers], span, [SPAN])
        found: dict[int, list[Span]] = {server.id: [] for server in servers}
        if SPAN in frame.columns:
            for at, seconds, server_id in frame.select("at_us", SPAN, "server_id").drop_nulls().iter_rows():
                mine, until = found[server_id], at + int(seconds * SECOND_US)
                if mine and at <= mine[-1].until_us + TOUCHING_US:  # many intervals that follow each other are one
                    mine[-1] = Span(mine[-1].since_us, max(until, mine[-1].until_us))
                else:
                    mine.append(Span(at, until))
        return found

    def seconds(self, servers: Sequence[Server], span: Span, looked: Mapping[int, list[Span]]) -> dict[int, float]:
        """How long each server was recorded, without those that were not; ``looked`` is what ``looked`` gives."""
        if self.measure == TIME:
            found = {i: sum(one.seconds for one in spans) for i, spans in looked.items()}
        else:
            found = covered(self.reader, servers, span, "statements")
        return {server_id: seconds for server_id, seconds in found.items() if seconds > 0}

    def read(self, servers: Sequence[Server], span: Span, dimensions: Sequence[str]) -> pl.DataFrame:
        """``at_us``, ``server_id``, the columns that the dimensions are taken from, and ``weight`` where a row is not one second."""
        columns = read_for(dimensions)
        if self.measure == TIME:
            return read_samples(self.reader, servers, span, columns, as_codes=True)
        frame = read_intervals(self.reader, servers, span)
        if frame.is_empty():
            schema = {
                "at_us": pl.Int64,
                "server_id": pl.Int32,
                **dict.fromkeys(columns, pl.String),
                "weight": pl.Float64,
            }
            return pl.DataFrame(schema={**schema, **({"statement": pl.Int32} if "statement" in columns else {})})
        names = {server.id: server.name for server in servers}
        named = pl.col("server_id").replace_strict(names, default=None, return_dtype=pl.String).alias("server")
        rows = frame.with_columns(pl.col(self.measure).fill_null(0.0).alias("weight"), named)
        return rows.filter(pl.col("weight") > 0).select(list(dict.fromkeys(["at_us", "server_id", *columns, "weight"])))

    def unknown(self, servers: Sequence[Server], span: Span, seconds: Mapping[int, float]) -> list[str]:
        """Servers that were not recorded, and those that do not report the measure."""
        left = [server for server in servers if server.id in seconds]
        silent = not_recorded_words([server.name for server in servers if server.id not in seconds])
        if self.measure == TIME:
            return silent
        frame = read_intervals(self.reader, left, span)
        told = (
            set() if frame.is_empty() else set(frame.filter(pl.col(self.measure).is_not_null())["server_id"].to_list())
        )
        counting = set() if frame.is_empty() else set(frame["server_id"].to_list())
        return silent + not_reported_words([one.name for one in left if one.id in counting - told], self.measure)

    def entries(self, rows: pl.DataFrame, by: Sequence[str], seconds: Mapping[int, float]) -> pl.DataFrame:
        """Sums by dimensions, with margins where they are of samples."""
        return (entries_of_servers if self.measure == TIME else counted_entries)(rows, by, seconds)
