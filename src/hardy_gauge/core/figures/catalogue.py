"""The catalogue of figures: every figure the product compares, shows or differences, defined once."""

from __future__ import annotations

from collections.abc import Collection
from dataclasses import dataclass
from typing import Literal

Unit = Literal["", "s", "/s", "B", "B/s", "share", "rows", "pages"]
Worse = Literal["more", "less", "neither"]


@dataclass(frozen=True)
class Figure:
    """A figure of a server, formed from two recorded columns as ``above`` ÷ ``below``.

    ``kind``: a rate is divided by time passed, a ratio by another counter; a level is read, ``above`` alone. ``least`` is the least difference that
    anyone would notice, in the figure's unit; what is smaller is never called unusual.
    """

    name: str
    title: str
    unit: Unit
    kind: Literal["rate", "ratio", "level"]
    above: str
    below: str
    least: float = 0.0
    worse: Worse = "more"

    @property
    def columns(self) -> tuple[str, str]:
        """The stored columns that the figure is made of."""
        return self.above, self.below


@dataclass(frozen=True)
class Counter:
    """A cumulative figure of a statement; null where a server does not report it."""

    name: str
    title: str
    unit: Unit


@dataclass(frozen=True)
class Level:
    """A figure that is read, not counted. A name that ends in a point stands for all that begin so, one for each object."""

    name: str
    title: str
    unit: Unit
    worse: Worse = "neither"


SPAN = "span_s"
SERVER_FIGURES: tuple[Figure, ...] = (
    Figure("active_sessions", "Active sessions", "", "rate", "time_s", SPAN, least=0.05),
    Figure("response_s", "Time per call", "s", "ratio", "time_s", "calls", least=1e-5),
    Figure("calls_per_s", "Calls", "/s", "rate", "calls", SPAN, least=0.1, worse="neither"),
    Figure("processor_busy", "Busy cores", "", "rate", "processor_busy_s", SPAN, least=0.05),
    Figure("data_volume_busy", "Data volume busy", "share", "rate", "data_volume_busy_s", SPAN, least=0.02),
    Figure("log_volume_busy", "Log volume busy", "share", "rate", "log_volume_busy_s", SPAN, least=0.02),
    Figure("pages_read_per_s", "Pages read", "/s", "rate", "pages_read", SPAN, least=1.0),
    Figure("commits_per_s", "Commits", "/s", "rate", "commits", SPAN, least=0.1, worse="neither"),
    Figure("log_bytes_per_s", "Log written", "B/s", "rate", "log_bytes", SPAN, least=1000.0, worse="neither"),
    Figure(
        "read_share", "Pages read of pages requested", "share", "ratio", "pages_read", "pages_requested", least=0.005
    ),
)
FIGURES: dict[str, Figure] = {figure.name: figure for figure in SERVER_FIGURES}

STATEMENT_COUNTERS: tuple[Counter, ...] = (
    Counter("calls", "calls", ""),
    Counter("time_s", "time", "s"),
    Counter("rows_returned", "rows returned", "rows"),
    Counter("rows_examined", "rows examined", "rows"),
    Counter("pages_requested", "pages requested", "pages"),
    Counter("pages_read", "pages read", "pages"),
    Counter("log_bytes", "log written", "B"),
    Counter("temporary_pages", "temporary pages written", "pages"),
    Counter("planning_s", "planning", "s"),
    Counter("errors", "errors", ""),
    Counter("bytes_sent", "bytes sent", "B"),
    Counter("bytes_used", "bytes used by the application", "B"),
    Counter("nested_calls", "calls inside other calls", ""),
)
STATEMENT_FIGURES: tuple[str, ...] = tuple(counter.name for counter in STATEMENT_COUNTERS)
SQUARES = "squares_s2"
STATEMENT_SUMS: tuple[str, ...] = (*STATEMENT_FIGURES, SQUARES)
# of all calls since they are counted: they do not add up
STATEMENT_EXTREMES: tuple[str, ...] = ("least_s", "greatest_s")

VOLUME_USED = "volume_used."
LEVELS: tuple[Level, ...] = (
    Level("memory_used_bytes", "memory used", "B"),
    Level("memory_available_bytes", "memory available", "B", "less"),
    Level("swap_used_bytes", "swap used", "B", "more"),
    Level("load_per_core", "load per core", "", "more"),
    Level("run_queue", "threads that run or wait for a core", "", "more"),
    Level("sessions_open", "sessions open", ""),
    Level("sessions_limit", "sessions at most", ""),
    Level("replica_lag_s", "replica lag", "s", "more"),
    Level("replica_lag_bytes", "log not applied", "B", "more"),
    Level("replica_lag_bytes.", "log not applied by", "B", "more"),
    Level("database_bytes.", "database", "B"),
    Level("idle_transactions", "idle in transactions", "", "more"),
    Level("oldest_transaction_s", "oldest transaction", "s", "more"),
    Level("transaction_age", "transaction age", "", "more"),
    Level("dead_rows_share", "dead rows", "share", "more"),
    Level("sequence_used.", "sequence used", "share", "more"),
    Level("members_seen", "members seen", "", "less"),
    Level("member_seen.", "member seen", ""),
    Level("partitions_coming", "partitions coming", ""),
    Level("partitions_going", "partitions going", ""),
    Level("copies_missing", "copies missing", "", "more"),
    Level("replicas_connected", "replicas connected", "", "less"),
    Level("log_kept_bytes.", "log kept for", "B", "more"),
    Level("prepared_transactions", "prepared transactions", "", "more"),
    Level("pool_sessions", "sessions of the pooler", ""),
    Level("hottest_partition_share", "calls of the hottest partition", "share", "more"),
    Level("volume_credit_share.", "credit of volume", "share", "less"),
    Level("network_retransmitted_share", "packets sent again", "share", "more"),
    Level("own.", "yours:", ""),
)


def level_of(name: str) -> tuple[Level, str] | None:
    """The level that a recorded name is of, and the object it is about ("" where there is only one)."""
    for level in LEVELS:
        if name == level.name:
            return level, ""
        if level.name.endswith(".") and name.startswith(level.name):
            return level, name.removeprefix(level.name)
    return None


def is_level(name: str) -> bool:
    """Whether a recorded column is read and not counted."""
    return level_of(name) is not None or name.startswith(VOLUME_USED)


def title_of(name: str) -> str:
    """A recorded counter's or level's name in words, without its unit."""
    base, _, of = name.partition(".")
    bare = base.removesuffix("_bytes").removesuffix("_s")
    return f"{bare.replace('_', ' ')} {of}".strip()


def unit_of(name: str) -> Unit:
    """The unit that a recorded counter's or level's name carries."""
    base = name.partition(".")[0]
    if base.endswith("_bytes"):
        return "B"
    if base.endswith("_share"):
        return "share"
    return "s" if base.endswith("_s") else ""


# what the agent, or a practice server, counts of a volume: seconds in requests ÷ time passed is how many are under way
VOLUME_TITLES = {
    "volume_reads": "reads of volume", "volume_writes": "writes of volume", "volume_read_bytes": "bytes read from volume",
    "volume_write_bytes": "bytes written to volume", "volume_read_s": "reads under way on volume",
    "volume_write_s": "writes under way on volume", "processor_s": "cores busy with", "run_queue_s": "threads that run or wait for a core",
}  # fmt: skip


def volume_latencies(columns: Collection[str]) -> list[Figure]:
    """Seconds of a request of each volume whose requests and their time are among the recorded columns."""
    found = []
    for kind, verb in (("read", "read from"), ("write", "write to")):
        for column in sorted(c for c in columns if c.startswith(f"volume_{kind}_s.")):
            volume = column.partition(".")[2]
            if (requests := f"volume_{kind}s.{volume}") in columns:
                name, title = f"volume_{kind}_latency_s.{volume}", f"time of a {verb} volume {volume}"
                found.append(Figure(name, title, "s", "ratio", column, requests, least=1e-5))
    return found


def recorded_figure(column: str, counts: bool) -> Figure:
    """A figure of one recorded column: its rate where it ``counts`` up, else its level."""
    unit = unit_of(column)
    if not counts:
        known = level_of(column)
        unit = "B" if column.startswith(VOLUME_USED) else unit
        title = f"{known[0].title} {known[1]}".strip() if known else title_of(column)
        return Figure(
            column,
            title,
            known[0].unit if known else unit,
            "level",
            column,
            SPAN,
            worse=known[0].worse if known else "neither",
        )
    rates: dict[Unit, Unit] = {"": "/s", "B": "B/s", "s": ""}
    base, _, of = column.partition(".")
    title = f"{VOLUME_TITLES[base]} {of}".strip() if base in VOLUME_TITLES else title_of(column)
    return Figure(column, title, rates.get(unit, unit), "rate", column, SPAN, worse="neither")
