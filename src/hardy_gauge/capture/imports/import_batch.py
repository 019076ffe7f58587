"""Rows from any format on their way into the store: what one server gets."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import asdict, dataclass, field

import polars as pl

from hardy_gauge.capture.imports.openmetrics import Figure
from hardy_gauge.capture.imports.otlp import OtlpContent, SpanExecution
from hardy_gauge.capture.imports.rejected_rows import RejectedRows

MOST_FIGURES = 500
LONGEST_NAME = 200
OWN = "own."
MINUTE_US = 60_000_000


@dataclass
class ImportBatch:
    """Rows still with their ``text`` in place of a statement's id and with the ``line`` they came from. ``whole``: the
    executions are all there were, so that intervals and the load can be summed from them.
    """

    engine: str = ""
    whole: bool = False
    executions: pl.DataFrame = field(default_factory=pl.DataFrame)
    statements: pl.DataFrame = field(default_factory=pl.DataFrame)
    figures: pl.DataFrame = field(default_factory=pl.DataFrame)


def of_figures(figures: Iterable[Figure], rejected: RejectedRows) -> pl.DataFrame:
    """Columns ``line``, ``at_us`` (minute), ``name``, ``value``; at most 500 names."""
    names: set[str] = set()
    rows = []
    for figure in figures:
        name = f"{OWN}{figure.name}"[:LONGEST_NAME]
        if name not in names and len(names) >= MOST_FIGURES:
            rejected.add(figure.line, f"more than {MOST_FIGURES} figures: {figure.name[:60]}")
            continue
        names.add(name)
        rows.append((figure.line, figure.at_us // MINUTE_US * MINUTE_US, name, figure.value))
    schema = {"line": pl.Int64, "at_us": pl.Int64, "name": pl.String, "value": pl.Float64}
    return pl.DataFrame(rows, schema=schema, orient="row")


def of_spans(spans: list[SpanExecution]) -> pl.DataFrame:
    kinds = {
        "line": pl.Int64, "server": pl.String, "engine": pl.String, "ended_at_us": pl.Int64, "duration_s": pl.Float64,
        "text": pl.String, "user": pl.String, "service": pl.String, "database": pl.String, "rows_returned": pl.Float64,
        "span": pl.String,
    }  # fmt: skip
    return pl.DataFrame([asdict(span) for span in spans], schema=kinds)


def of_otlp(content: OtlpContent, otherwise: str, rejected: RejectedRows) -> dict[str, ImportBatch]:
    """By server; ``otherwise`` is the server of what names none."""
    batches: dict[str, ImportBatch] = {}
    spans = of_spans(content.executions).with_columns(
        pl.when(pl.col("server") == "").then(pl.lit(otherwise)).otherwise(pl.col("server")).alias("server")
    )
    for (name,), rows in spans.group_by("server", maintain_order=True):
        made = batches.setdefault(str(name), ImportBatch(engine=str(rows["engine"][0]), whole=True))
        made.executions = rows.drop("server", "engine")
    for server, figures in content.figures.items():
        batches.setdefault(server or otherwise, ImportBatch()).figures = of_figures(figures, rejected)
    return batches


def summed(executions: pl.DataFrame) -> pl.DataFrame:
    """Statement intervals of a minute from all executions that ended in it."""
    figures = [c for c in ("rows_returned", "rows_examined", "pages_read") if c in executions.columns]
    minute = (pl.col("ended_at_us") // MINUTE_US * MINUTE_US).alias("at_us")
    keys = ["statement", "user", "service", "database", *(["plan_key"] if "plan_key" in executions.columns else [])]
    return executions.group_by(minute, *keys).agg(
        pl.lit(60.0).alias("span_s"), pl.len().cast(pl.Float64).alias("calls"), pl.col("duration_s").sum().alias("time_s"),
        *[pl.col(c).sum() for c in figures],
    )  # fmt: skip


def load_of(statements: pl.DataFrame) -> pl.DataFrame:
    """The server's figures by interval from those of its statements."""
    figures = [
        c
        for c in ("rows_returned", "rows_examined", "pages_requested", "pages_read", "log_bytes")
        if c in statements.columns
    ]
    return statements.group_by("at_us").agg(
        pl.col("span_s").max(), pl.col("calls").sum(), pl.col("time_s").sum(), *[pl.col(c).sum() for c in figures]
    )
