"""Values of a column, drawn from its statistics: common values with their shares, the rest between the bounds of the histogram, in the
order of the rows that the correlation tells (PostgreSQL documentation, "pg_stats").
"""

from __future__ import annotations

import datetime
import uuid
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any

import numpy as np
import psycopg
from numpy.typing import NDArray
from scipy.special import ndtri

from hardy_gauge.lab.made.layouts import ColumnLayout, limits

WHOLE = ("int2", "int4", "int8", "oid")
BROKEN = ("numeric", "float4", "float8", "money")
EPOCH = datetime.datetime(2000, 1, 1, tzinfo=datetime.UTC)
FIRST = datetime.datetime(2026, 1, 1, tzinfo=datetime.UTC)
# a value as a number, by which those between two bounds are found
AS_NUMBER = {
    **dict.fromkeys((*WHOLE, *BROKEN[:3]), "v::float8"), "date": "(v - date '2000-01-01')::float8",
    "timestamp": "extract(epoch FROM v - timestamp '2000-01-01')::float8", "timestamptz": "extract(epoch FROM v - timestamptz '2000-01-01Z')::float8",
}  # fmt: skip
USUAL_DISTINCT = 200
Values = NDArray[np.object_]
Draw = np.random.Generator


@dataclass(frozen=True)
class ColumnStatistics:
    """What is known of a column: ``distinct`` below 0 is a share of the rows; ``numbers`` are the bounds as numbers, where they have any."""

    nulls: float = 0.0
    distinct: float = 0.0
    common: Sequence[str] = ()
    shares: Sequence[float] = ()
    bounds: Sequence[str] = ()
    numbers: Sequence[float] = ()
    correlation: float = 0.0


@dataclass
class Drawn:
    """Values of every row, None where there is none."""

    values: Values
    nulls: NDArray[np.bool_] = field(repr=False)


def read_statistics(
    connection: psycopg.Connection[Any], row: Mapping[str, Any], column: ColumnLayout
) -> ColumnStatistics:
    """From a row of planner facts; values that the type does not know are left out."""

    def parsed(text: str | None) -> list[tuple[str, float | None]]:
        if not text:
            return []
        number = AS_NUMBER.get(column.base, "NULL::float8")
        try:
            rows = connection.execute(f"SELECT v::text, {number} FROM unnest(%s::{column.type}[]) AS found (v)", [text])
            return [(value, at) for value, at in rows.fetchall() if value is not None]
        except psycopg.Error:
            return []

    common, bounds = parsed(row["common_values"]), parsed(row["histogram"])
    numbers = [at for _, at in bounds if at is not None and np.isfinite(at)]
    shares = list(row["common_shares"] or [])[: len(common)]
    return ColumnStatistics(
        float(row["null_frac"] or 0), float(row["n_distinct"] or 0), [v for v, _ in common], shares, [v for v, _ in bounds],
        numbers if len(numbers) == len(bounds) > 1 else (), float(row["correlation"] or 0),
    )  # fmt: skip


def within(
    connection: psycopg.Connection[Any], column: ColumnLayout, condition: str, known: ColumnStatistics | None
) -> ColumnStatistics | None:
    """Statistics whose values fit a partition's condition, for those inside them are not the real ones."""
    low, high, listed = limits(condition, column.name)
    known = known or ColumnStatistics()
    if listed:
        return ColumnStatistics(0.0, len(listed), listed, [1 / len(listed)] * len(listed))
    if low is None and high is None:
        return known
    ends = [one for one in (low, high) if one is not None]
    quoted = "{" + ",".join('"' + one.replace('"', '\\"') + '"' for one in (ends * 2)[:2]) + "}"
    row = {"common_values": None, "histogram": quoted, "common_shares": None, "null_frac": 0, "n_distinct": known.distinct, "correlation": known.correlation}  # fmt: skip
    return read_statistics(connection, row, column)


def draw_column(column: ColumnLayout, known: ColumnStatistics | None, rows: int, unique: bool, draw: Draw) -> Drawn:
    """So many values of a column; ``unique``: no value twice."""
    known = known or ColumnStatistics(distinct=-1.0 if unique else min(rows, USUAL_DISTINCT))
    nulls = np.zeros(rows, bool) if column.not_null or unique else draw.random(rows) < known.nulls
    picked = pick(known, rows, unique, draw)
    pool = value_pool(column, known, int(picked.max(initial=-1)) + 1, unique)
    values = pool[picked]
    if known.correlation and rows > 1:
        values = values[placed(_ranks(column, pool)[picked], known.correlation, draw)]
    values[nulls] = None
    return Drawn(values, nulls)


def pick(known: ColumnStatistics, rows: int, unique: bool, draw: Draw) -> NDArray[np.int64]:
    """Which of the values each row has: the common ones come first, then the rest in their order."""
    if unique:
        return draw.permutation(rows)
    common = len(known.common)
    held = max(1.0 - known.nulls, 1e-9)
    shares = np.minimum(np.asarray(known.shares, float) / held, 1.0)
    rest = max(0.0, 1.0 - shares.sum())
    distinct = -known.distinct * rows if known.distinct < 0 else known.distinct or min(rows, USUAL_DISTINCT)
    others = max(0 if common else 1, round(min(distinct, rows)) - common)
    if not others:
        return draw.choice(common, rows, p=shares / shares.sum())
    of_common = (
        draw.choice(common, rows, p=shares / shares.sum()) if common and shares.sum() > 0 else np.zeros(rows, int)
    )
    among = draw.permutation(rows) % others
    return np.where(draw.random(rows) < (rest if common else 1.0), common + among, of_common).astype(np.int64)


def _ranks(column: ColumnLayout, pool: Values) -> NDArray[np.int64]:
    """The place of each value in the order of all."""
    numbers = column.base in (*WHOLE, *BROKEN[:3])
    order = (
        sorted(range(len(pool)), key=lambda one: float(pool[one]))
        if numbers
        else np.argsort(pool.astype(str), kind="stable")
    )
    found = np.empty(len(pool), np.int64)
    found[np.asarray(order, int)] = np.arange(len(pool))
    return found


def placed(ranks: NDArray[np.int64], correlation: float, draw: Draw) -> NDArray[np.int64]:
    """The order of rows in which places and values correlate so: normal scores of the values, mixed with chance."""
    order = np.empty(len(ranks), float)
    order[np.argsort(ranks, kind="stable")] = ndtri((np.arange(len(ranks)) + 0.5) / len(ranks))
    kept = float(np.clip(correlation, -1, 1))
    return np.argsort(kept * order + np.sqrt(1 - kept * kept) * draw.standard_normal(len(ranks)), kind="stable")


def value_pool(column: ColumnLayout, known: ColumnStatistics, count: int, unique: bool) -> Values:
    """The common values, then the others in ascending order."""
    common = [] if unique else list(known.common)
    others = max(0, count - len(common))
    found = np.empty(len(common) + others, object)
    found[: len(common)] = common
    if others:
        found[len(common) :] = _others(column, known, others, unique)
    return found


def _others(column: ColumnLayout, known: ColumnStatistics, count: int, unique: bool) -> list[str]:
    if len(known.numbers):
        at = np.interp(
            (np.arange(count) + 0.5) / count, np.linspace(0, 1, len(known.numbers)), np.asarray(known.numbers)
        )
        return _from_numbers(column, at, unique)
    if known.bounds and column.category == "S":
        return _from_texts(column, known.bounds, count)
    if known.bounds and not unique:
        return [known.bounds[place * len(known.bounds) // count] for place in range(count)]
    return _of_nothing(column, count)


def _from_numbers(column: ColumnLayout, at: NDArray[np.float64], unique: bool) -> list[str]:
    if column.base in WHOLE or column.base == "date":
        span = at[-1] - at[0]
        if span < len(at):  # bounds that were replaced may lie closer together than there are values
            at = at[0] + np.arange(len(at))
        whole = np.floor(at)
        if unique:
            whole = np.maximum.accumulate(whole - np.arange(len(whole))) + np.arange(len(whole))
        if column.base == "date":
            return [str((EPOCH + datetime.timedelta(days=float(one))).date()) for one in whole]
        return [str(int(one)) for one in whole]
    if column.base in BROKEN:
        return [
            f"{one:.{2 if column.decimals is None else column.decimals}f}" if not unique else repr(float(one))
            for one in at
        ]
    return [(EPOCH + datetime.timedelta(seconds=float(one))).isoformat(sep=" ") for one in at]


def _from_texts(column: ColumnLayout, bounds: Sequence[str], count: int) -> list[str]:
    """The bounds themselves, and after each others that begin with it."""
    found = []
    for place in range(count):
        bound = bounds[place * len(bounds) // count]
        first = place * len(bounds) % count < len(bounds)
        text = bound if first else f"{bound}~{place}"
        if column.longest is not None and len(text) > column.longest:
            tail = f"~{place}"
            text = text[: max(0, column.longest - len(tail))] + tail[-column.longest :]
        found.append(text)
    return found


def _of_nothing(column: ColumnLayout, count: int) -> list[str]:
    """Values of a column of which nothing is known."""
    places = range(count)
    if column.labels:
        return [column.labels[place % len(column.labels)] for place in places]
    if column.base in (*WHOLE, *BROKEN):
        return [str(place + 1) for place in places]
    if column.base == "bool":
        return ["tf"[place % 2] for place in places]
    if column.category == "D":
        return [(FIRST + datetime.timedelta(days=place)).isoformat(sep=" ") for place in places]
    if column.base == "uuid":
        return [str(uuid.UUID(int=(place * 0x9E3779B97F4A7C15F39CC0605CEDC835 + 1) % 2**128)) for place in places]
    if column.category == "S":
        texts = [f"{column.name} {place}" for place in places]
        return texts if column.longest is None else [text[-column.longest :] for text in texts]
    if column.category == "A":
        return ["{}"] * count
    if column.base in ("json", "jsonb"):
        return [f'{{"n": {place}}}' for place in places]
    if column.base == "bytea":
        return [f"\\x{place:08x}" for place in places]
    if column.base in ("inet", "cidr"):
        return [f"10.{place >> 16 & 255}.{place >> 8 & 255}.{place & 255}" for place in places]
    if column.category == "T":
        return [f"{place} seconds" for place in places]
    return [f"{column.name}{place}" for place in places]
