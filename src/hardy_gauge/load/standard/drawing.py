"""What the makers of standard data share: how numbers are drawn, and the tables that every set has."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np
import polars as pl

Table = tuple[str, pl.DataFrame]
DAYS, BRANCHES, REGIONS = 1461, 43, 6
FIRST_YEAR = 2022
FEWEST = 20
CHUNK = 1_000_000  # rows


def sized(scale: float, most: int) -> int:
    """Rows of a table that has ``most`` at scale 1."""
    return max(FEWEST, round(scale * most))


def seldom(draw: np.random.Generator, count: int, most: int, power: float) -> np.ndarray:
    """Whole numbers from 1 to ``most``, the low ones more frequent the higher the power (a power of a uniform number)."""
    return 1 + np.minimum((most * draw.random(count) ** power).astype(np.int64), most - 1)


def chunks(count: int) -> Iterator[tuple[np.ndarray, int, int]]:
    """Numbers from 1 to ``count`` in parts that memory holds, each with the days its rows begin at and end before."""
    parts = max(1, -(-count // CHUNK))
    for part in range(parts):
        ids = np.arange(count * part // parts + 1, count * (part + 1) // parts + 1)
        yield ids, DAYS * part // parts, DAYS * (part + 1) // parts


def days() -> Table:
    """Four years of days."""
    ids = np.arange(DAYS)
    columns = {"id": ids, "year": FIRST_YEAR + ids // 366, "month": 1 + ids % 366 // 31, "weekday": ids % 7}
    return "day", pl.DataFrame(columns | {"opened": (ids % 7 != 6) * 1})


def branches() -> Table:
    """With their region and the number of their shelves."""
    ids = np.arange(1, BRANCHES + 1)
    columns = {"id": ids, "name": [f"Branch {i}" for i in ids], "region": 1 + ids % REGIONS}
    return "branch", pl.DataFrame(columns | {"shelves": 40 + ids * 7 % 160})
