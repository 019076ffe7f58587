"""Cells of CSV files that a spreadsheet would take for a formula (OWASP, "CSV Injection")."""

from __future__ import annotations

import polars as pl

BEGINNINGS = ("=", "+", "-", "@", "\t", "\r")


def neutral_cell(value: object) -> object:
    """The cell; a text that would be a formula gets an apostrophe before it, which spreadsheets do not show."""
    return f"'{value}" if isinstance(value, str) and value.startswith(BEGINNINGS) else value


def neutral(frame: pl.DataFrame) -> pl.DataFrame:
    """The frame with such texts made harmless, and lists as texts, which CSV has none of."""
    lists = [name for name, kind in frame.schema.items() if isinstance(kind, pl.List)]
    frame = frame.with_columns(pl.col(lists).cast(pl.List(pl.String)).list.join(" ")) if lists else frame
    risky = pl.col(pl.String).str.contains(r"^[=+\-@\t\r]")
    return frame.with_columns(
        pl.when(risky).then(pl.lit("'") + pl.col(pl.String)).otherwise(pl.col(pl.String)).name.keep()
    )
