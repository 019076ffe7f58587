"""Texts of which there are few and that stand in many rows are stored as places in a list of them (Polars' ``Categorical``): millions of
session samples are read, filtered and counted by small numbers, and take a quarter of the memory.
"""

from __future__ import annotations

import polars as pl

CODED: dict[str, frozenset[str]] = {
    "sample": frozenset({"wait_event", "wait_family", "object", "user", "service", "route", "database", "client"}),
}


def coded(kind: str, frame: pl.DataFrame) -> pl.DataFrame:
    """The frame with the texts of its kind as places in a list."""
    texts = [c for c, dtype in frame.schema.items() if dtype == pl.String and c in CODED.get(kind, ())]
    return frame.with_columns(pl.col(texts).cast(pl.Categorical)) if texts else frame


def spelt_out(frame: pl.DataFrame) -> pl.DataFrame:
    """The frame with plain texts."""
    places = [c for c, dtype in frame.schema.items() if dtype == pl.Categorical]
    return frame.with_columns(pl.col(places).cast(pl.String)) if places else frame
