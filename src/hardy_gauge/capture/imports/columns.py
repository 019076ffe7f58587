"""Which column of a table is what: guessed by name and first values, and applied once it is agreed."""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Literal

import polars as pl
from pydantic import BaseModel, ConfigDict, Field

from hardy_gauge.input_document import InputDocument

Kind = Literal["executions", "statements"]
What = Literal["time", "duration", "number", "text"]
DURATIONS: dict[str, float] = {"s": 1.0, "ms": 1e-3, "us": 1e-6, "ns": 1e-9, "min": 60.0}
MOMENTS: dict[str, float] = {"epoch s": 1e6, "epoch ms": 1e3, "epoch us": 1.0, "epoch ns": 1e-3}
UNITS: dict[What, tuple[str, ...]] = {
    "time": ("ISO 8601", *MOMENTS), "duration": tuple(DURATIONS), "number": ("",), "text": ("",),
}  # fmt: skip
WAIT = "wait."


@dataclass(frozen=True)
class Target:
    """A column of ours. ``names`` are what it is often called; ``needed`` by itself or by one of its ``instead``."""

    name: str
    what: What
    words: str
    names: tuple[str, ...] = ()
    needed: bool = False
    instead: tuple[str, ...] = ()


_TEXT = Target(
    "text", "text", "SQL text", ("query", "statement", "sql", "sql_text", "query_text", "statement_text"), True
)
_WHO = (
    Target("user", "text", "user", ("user_name", "username", "login")),
    Target(
        "service", "text", "service or application", ("application", "app", "application_name", "program", "client")
    ),
    Target("database", "text", "database", ("db", "dbname", "database_name", "schema", "schema_name")),
)
_COUNTS = (
    Target("rows_returned", "number", "rows returned", ("rows", "row_count", "returned_rows")),
    Target("rows_examined", "number", "rows examined", ("rows_read", "examined", "rows_scanned")),
)
TARGETS: dict[Kind, tuple[Target, ...]] = {
    "executions": (
        Target("ended_at", "time", "when it ended", ("end", "end_time", "ended", "finished", "timestamp", "time", "at", "log_time", "ts"), True, ("started_at",)),
        Target("started_at", "time", "when it began", ("start", "start_time", "started", "begin", "query_start")),
        Target("duration", "duration", "how long it took", ("elapsed", "elapsed_time", "took", "query_time", "exec_time", "execution_time", "latency"), True),
        _TEXT, *_WHO, *_COUNTS,
        Target("pages_read", "number", "pages read from storage", ("physical_reads", "blocks_read", "disk_reads")),
        Target("plan_key", "text", "plan", ("plan_id", "plan_hash", "planid")),
    ),
    "statements": (
        Target("at", "time", "start of the interval, or the moment read", ("timestamp", "time", "collected_at", "captured_at", "bucket", "interval_start", "start", "ts", "snapshot_time"), True),
        Target("span", "duration", "length of the interval", ("interval", "span_s", "interval_s")),
        _TEXT,
        Target("calls", "number", "calls", ("executions", "count", "exec_count", "execution_count"), True),
        Target("total_time", "duration", "time of all calls", ("time_s", "total_duration", "total_elapsed_time", "sum_time", "total_latency", "elapsed"), True, ("time_per_call",)),
        Target("time_per_call", "duration", "time of one call", ("mean_time", "avg_time", "mean_duration", "average_time", "avg_latency", "mean")),
        *_WHO, *_COUNTS,
        Target("pages_requested", "number", "pages asked for", ("logical_reads", "page_requests")),
        Target("pages_read", "number", "pages read from storage", ("physical_reads", "blocks_read", "disk_reads")),
        Target("log_bytes", "number", "bytes of log written", ("log_written", "bytes_logged")),
        Target("plan_key", "text", "plan", ("plan_id", "plan_hash", "planid")),
    ),
}  # fmt: skip


class Source(InputDocument):
    """The column that a target is read from; ``unit`` one of ``UNITS`` of its kind."""

    column: str
    unit: str = ""


class Layout(BaseModel):
    """How a table is read. ``cumulative``: figures count up from reading to reading; ``whole``: every execution is
    there, not only those above a threshold; ``span_s``: length of an interval where no column has it.
    """

    model_config = ConfigDict(extra="forbid")
    kind: Kind
    columns: dict[str, Source] = Field(default_factory=dict)
    cumulative: bool = False
    whole: bool = False
    span_s: float = Field(60.0, gt=0, le=86400)


def targets(kind: Kind) -> dict[str, Target]:
    return {target.name: target for target in TARGETS[kind]}


def lacking(layout: Layout) -> str:
    """The first target that is needed and has no column; empty when none."""
    for target in TARGETS[layout.kind]:
        if target.needed and not any(name in layout.columns for name in (target.name, *target.instead)):
            return target.name
    return ""


def wrong(layout: Layout, columns: Sequence[str]) -> tuple[str, str] | None:
    """The first field of a layout that does not fit a table, and what would be right; None when it all does."""
    known = targets(layout.kind)
    for name, source in layout.columns.items():
        if name.startswith(WAIT):
            unit_of: What = "duration"
        elif name in known:
            unit_of = known[name].what
        else:
            return f"columns.{name}", f"one of {', '.join(known)} or {WAIT}EVENT was expected"
        if source.column not in columns:
            return f"columns.{name}.column", f"the file has no column '{source.column}'"
        if source.unit not in UNITS[unit_of]:
            return f"columns.{name}.unit", f"one of {', '.join(u or 'none' for u in UNITS[unit_of])} was expected"
    missing = lacking(layout)
    if missing:
        return f"columns.{missing}", f"a column for '{known[missing].words}' is needed"
    return None


def guess(frame: pl.DataFrame, kind: Kind | None = None) -> Layout:
    """The layout that names and first values suggest; without ``kind`` the one that finds more of what it needs."""
    if kind is None:
        both = [guess(frame, "statements"), guess(frame, "executions")]
        return min(both, key=lambda one: (bool(lacking(one)), -len(one.columns)))
    free = [name for name in frame.columns if name != "line"]
    found: dict[str, Source] = {}
    for exact in (True, False):
        for target in TARGETS[kind]:
            if target.name in found:
                continue
            column = next((c for c in free if _called(c, target, exact)), None)
            if column is not None:
                found[target.name] = Source(column=column, unit=_unit(column, frame[column], target.what))
                free.remove(column)
    if kind == "statements":
        for column in [c for c in free if c.startswith(WAIT)]:
            found[column] = Source(column=column, unit=_unit(column, frame[column], "duration"))
    layout = Layout(kind=kind, columns=found)
    return layout.model_copy(update={"cumulative": _counts_up(frame, layout)})


def _called(column: str, target: Target, exact: bool) -> bool:
    plain = re.sub(r"[^a-z0-9]+", "_", column.lower()).strip("_")
    bare = re.sub(r"_(s|sec|seconds|ms|msec|millis|milliseconds|us|usec|micros|microseconds|ns|nanos|utc)$", "", plain)
    return target.name in (plain, bare) if exact else any(name in (plain, bare) for name in target.names)


_SUFFIX = (
    (r"(^|[^a-z])(ns|nanos|nanoseconds)$", "ns"), (r"(^|[^a-z])(us|usec|micros|microseconds|µs)$", "us"),
    (r"(^|[^a-z])(ms|msec|millis|milliseconds)$", "ms"), (r"(^|[^a-z])(min|minutes)$", "min"),
)  # fmt: skip


def _unit(column: str, values: pl.Series, what: What) -> str:
    if what == "duration":
        bare = column.lower().strip(" )]")
        return next((unit for pattern, unit in _SUFFIX if re.search(pattern, bare)), "s")
    if what != "time":
        return ""
    if values.dtype.is_temporal():
        return "ISO 8601"
    numbers = values.cast(pl.Float64, strict=False).drop_nulls()
    numbers = numbers.filter(numbers.is_finite())
    if not len(numbers):
        return "ISO 8601"
    size = abs(float(numbers[0]))
    return next(
        unit
        for most, unit in ((1e11, "epoch s"), (1e14, "epoch ms"), (1e17, "epoch us"), (float("inf"), "epoch ns"))
        if size < most
    )


def _counts_up(frame: pl.DataFrame, layout: Layout) -> bool:
    """Whether calls never fall, statement by statement, over three readings or more."""
    columns = layout.columns
    if lacking(layout) or layout.kind != "statements" or "span" in columns:
        return False
    who = [columns[c].column for c in ("text", "user", "service", "database") if c in columns]
    calls = pl.col(columns["calls"].column).cast(pl.Float64, strict=False)
    steps = frame.group_by(who, maintain_order=True).agg(calls.diff().drop_nulls().alias("steps"), pl.len().alias("n"))
    steps = steps.filter(pl.col("n") >= 3)
    if steps.is_empty():
        return False
    all_steps = steps["steps"].explode()
    return bool((all_steps >= 0).mean() > 0.98 and (all_steps > 0).any() and (steps["n"].max() or 0) >= 3)  # type: ignore[operator]


def remembered(known: Mapping[str, Layout], frame: pl.DataFrame) -> Layout | None:
    """The layout that was agreed for a table with the same headings."""
    return known.get(signature(frame.columns))


def signature(columns: Sequence[str]) -> str:
    return "\n".join(sorted(c for c in columns if c != "line"))
