"""From a table and its layout to rows as they are stored, with the reason of each row that is not taken."""

from __future__ import annotations

from collections.abc import Mapping

import polars as pl

from hardy_gauge.capture.imports.columns import DURATIONS, MOMENTS, WAIT, Layout, Source, Target, What, targets
from hardy_gauge.capture.imports.rejected_rows import RejectedRows
from hardy_gauge.core.activity.counters import AGAIN

MINUTE_US = 60_000_000
EARLIEST_US = 946_684_800_000_000  # the year 2000
LATEST_US = 4_102_444_800_000_000  # the year 2100
LONGEST_S = 400 * 86400.0
MANY_ROWS, ROWS_OF_A_TEXT = 10_000, 20
WHO = ("user", "service", "database")


def rows_of(table: pl.DataFrame, layout: Layout, rejected: RejectedRows) -> pl.DataFrame:
    """Typed rows with ``text`` and ``line``: executions with ``ended_at_us`` and ``duration_s``, or intervals with
    ``at_us`` and ``span_s``. Figures that have no column are not there.
    """
    return _executions(table, layout, rejected) if layout.kind == "executions" else _statements(table, layout, rejected)


def _typed(table: pl.DataFrame, layout: Layout, rejected: RejectedRows) -> pl.DataFrame:
    """Every mapped column as its type and unit under our name; rows that hold something else are rejected. Reasons are made
    out for the rows alone in which something is amiss.
    """
    typed = _read(table, layout)
    known = targets(layout.kind)
    amiss = pl.repeat(False, len(table), eager=True)
    for name, source in layout.columns.items():
        value, raw = typed[name], table[source.column]
        amiss |= value.is_null() if _is_needed(name, known) else value.is_null() & raw.is_not_null()
        if value.dtype.is_float():
            amiss |= (value < 0).fill_null(False)
    wrong, sub = typed.filter(amiss), table.filter(amiss)
    whys = [_why(name, source, wrong[name], sub, layout) for name, source in layout.columns.items()]
    wrong = rejected.split(wrong.with_columns(pl.coalesce(whys).alias("why"))) if len(wrong) else wrong
    return pl.concat([typed.filter(~amiss), wrong])


def _is_needed(name: str, known: Mapping[str, Target]) -> bool:
    return name in known and (known[name].needed or name in ("started_at", "time_per_call"))


def _what(name: str, layout: Layout) -> What:
    target = targets(layout.kind).get(name)
    return target.what if target else "duration"


def _read(table: pl.DataFrame, layout: Layout) -> pl.DataFrame:
    """``line`` and the columns of the layout under our names; null where a value is not what it should be."""
    texts = {s.column for n, s in layout.columns.items() if _what(n, layout) == "text"}
    spelt = [name for name, kind in table.schema.items() if kind == pl.Categorical and name not in texts]
    table = table.with_columns(pl.col(spelt).cast(pl.String))
    values = [_VALUES[_what(n, layout)](s, table[s.column]).alias(n) for n, s in layout.columns.items()]
    return table.select("line", *values)


def _why(name: str, source: Source, value: pl.Series, table: pl.DataFrame, layout: Layout) -> pl.Series:
    """Of each row what is wrong with one of its values, or null."""
    what, known = _what(name, layout), targets(layout.kind)
    raw = table[source.column].cast(pl.String).str.strip_chars()
    frame = pl.DataFrame({"value": value, "raw": raw.fill_null("")})
    given, shown = pl.col("raw") != "", pl.col("raw").str.slice(0, 60)
    below = (pl.col("value") < 0).fill_null(False) if value.dtype.is_float() else pl.lit(False)
    return frame.select(
        pl.when(given & pl.col("value").is_null()).then(pl.format("{}: {}", pl.lit(f"{source.column} is not a {what}"), shown))
        .when(pl.lit(_is_needed(name, known)) & ~given).then(pl.lit(f"{source.column} is empty"))
        .when(below).then(pl.format("{}: {}", pl.lit(f"{source.column} is below zero"), shown)).alias("why")
    )["why"]  # fmt: skip


def _moment(source: Source, column: pl.Series) -> pl.Expr:
    raw = pl.col(source.column)
    if column.dtype.is_temporal():
        at = raw.cast(pl.Datetime("us")).cast(pl.Int64)
    elif source.unit in MOMENTS:
        whole = source.unit in ("epoch us", "epoch ns")
        number = raw.cast(pl.Int64 if whole else pl.Float64, strict=False)
        scaled = number // 1000 if source.unit == "epoch ns" else number * MOMENTS[source.unit]
        at = scaled.round().cast(pl.Int64, strict=False)
    else:
        at = pl.lit(_iso(column.cast(pl.String)))
    return pl.when(at.is_between(EARLIEST_US, LATEST_US)).then(at)


def _iso(column: pl.Series) -> pl.Series:
    """Microseconds of ISO 8601 texts, without a zone as UTC; by the plainest way that reads every value."""
    for form in ("%Y-%m-%dT%H:%M:%S%.f", "%Y-%m-%dT%H:%M:%S%.fZ", "%Y-%m-%d %H:%M:%S%.f"):
        if column.head(1).str.to_datetime(form, strict=False, time_unit="us").null_count() == 0:
            plain = column.str.to_datetime(form, strict=False, time_unit="us")
            if plain.null_count() == 0:
                return plain.cast(pl.Int64)
    text = column.str.strip_chars().str.replace(r"^(\d{4}-\d\d-\d\d) ", "${1}T").str.replace(r"[zZ]$|UTC$", "+00:00")
    text = text.str.replace(r" ?([+-]\d\d)$", "${1}:00").str.replace(" ", "")
    read = text.str.to_datetime("%Y-%m-%dT%H:%M:%S%.f%:z", strict=False, time_unit="us", time_zone="UTC")
    for form in ("%Y-%m-%dT%H:%M:%S%.f", "%Y-%m-%dT%H:%M"):
        more = text.str.to_datetime(form, strict=False, time_unit="us", time_zone="UTC")
        read = pl.select(pl.coalesce(read, more)).to_series()
    return read.cast(pl.Int64)


def _duration(source: Source, column: pl.Series) -> pl.Expr:
    if column.dtype == pl.Duration:
        seconds = pl.col(source.column).cast(pl.Duration("us")).cast(pl.Int64) / 1e6
    else:
        seconds = _number(source, column) * DURATIONS[source.unit or "s"]
    return pl.when(seconds < LONGEST_S).then(seconds)


def _number(source: Source, column: pl.Series) -> pl.Expr:
    raw = pl.col(source.column)
    number = (raw.str.strip_chars() if column.dtype == pl.String else raw).cast(pl.Float64, strict=False)
    return pl.when(number.is_finite()).then(number)


def _words(source: Source, column: pl.Series) -> pl.Expr:
    listed = _listed(column) if column.dtype in (pl.String, pl.Categorical) and len(column) >= MANY_ROWS else None
    if listed is not None:
        return pl.lit(listed)
    text = pl.col(source.column).cast(pl.String, strict=False).str.strip_chars()
    return pl.when(text != "").then(text)


def _listed(column: pl.Series) -> pl.Series | None:
    """The texts of a column as numbers of a list of them (Enum), which take a tenth of the room; None where few stand in many rows."""
    texts = column.drop_nulls().unique().cast(pl.String)
    if len(texts) > len(column) // ROWS_OF_A_TEXT:
        return None
    plain = texts.str.strip_chars()
    given = plain.set(plain == "", None)
    values = given.cast(pl.Enum(["", *given.drop_nulls().unique()]))
    return values.gather(column.cast(pl.Enum(texts)).to_physical())


_VALUES = {"time": _moment, "duration": _duration, "number": _number, "text": _words}


def _executions(table: pl.DataFrame, layout: Layout, rejected: RejectedRows) -> pl.DataFrame:
    frame = _typed(table, layout, rejected)
    end = (
        pl.col("ended_at")
        if "ended_at" in frame.columns
        else pl.col("started_at") + (pl.col("duration") * 1e6).round().cast(pl.Int64)
    )
    given = [c for c in frame.columns if c not in ("ended_at", "started_at", "duration", *WHO)]
    return frame.select(
        end.alias("ended_at_us"), pl.col("duration").alias("duration_s"), *given, *_who(frame),
    )  # fmt: skip


def _who(frame: pl.DataFrame) -> list[pl.Expr]:
    return [pl.col(c).fill_null("") if c in frame.columns else pl.lit("").alias(c) for c in WHO]


def _statements(table: pl.DataFrame, layout: Layout, rejected: RejectedRows) -> pl.DataFrame:
    frame = _typed(table, layout, rejected)
    if "total_time" not in frame.columns:
        frame = frame.with_columns((pl.col("time_per_call") * pl.col("calls")).alias("total_time"))
    span = pl.col("span").fill_null(layout.span_s) if "span" in frame.columns else pl.lit(layout.span_s)
    frame = frame.with_columns(*_who(frame), span.cast(pl.Float64).alias("span_s")).rename(
        {"at": "at_us", "total_time": "time_s"}
    )
    frame = frame.drop("span", "time_per_call", strict=False)
    if layout.cumulative:
        frame = _differences(frame, rejected)
    return rejected.split(
        frame.with_columns(
            pl.when(pl.col("span_s") <= 0).then(pl.lit("the interval has no length"))
            .when(pl.col("calls") == 0).then(pl.lit("nothing was called in the interval")).alias("why")
        )
    )  # fmt: skip


def figures_in(frame: pl.DataFrame) -> list[str]:
    """The columns that hold sums over an interval."""
    return [c for c, kind in frame.schema.items() if kind.is_float() and c != "span_s"]


def _differences(frame: pl.DataFrame, rejected: RejectedRows) -> pl.DataFrame:
    """Readings that count up become what was done since the reading before; a fall is a reset and gives no difference."""
    who = ["text", *WHO, *(c for c in ("plan_key",) if c in frame.columns)]
    figures = figures_in(frame)
    frame = frame.sort("at_us", "line").with_columns(
        *[pl.col(c).diff().over(who).alias(f"{c} done") for c in figures],
        pl.col("at_us").diff().over(who).alias("passed"),
    )
    fell = pl.any_horizontal([(pl.col(f"{c} done") < 0).fill_null(False) for c in figures])
    frame = rejected.split(
        frame.with_columns(
            pl.when(pl.col("passed").is_null()).then(pl.lit("the first reading of its statement has none to compare with"))
            .when(pl.col("passed") == 0).then(pl.lit(AGAIN))
            .when(fell).then(pl.lit("a figure fell since the reading before, so it was reset between them")).alias("why")
        )
    )  # fmt: skip
    at = (pl.col("at_us") - pl.col("passed") // 2) // MINUTE_US * MINUTE_US
    return frame.with_columns(
        at.alias("at_us"), (pl.col("passed") / 1e6).alias("span_s"), *[pl.col(f"{c} done").alias(c) for c in figures]
    ).drop("passed", *[f"{c} done" for c in figures])


def wait_columns(frame: pl.DataFrame) -> list[str]:
    return [c for c in frame.columns if c.startswith(WAIT)]
