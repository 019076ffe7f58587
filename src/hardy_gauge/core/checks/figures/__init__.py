"""Checks of a statement's figures over a window. Thresholds are common practice."""

from __future__ import annotations

from collections.abc import Iterator

from hardy_gauge.core.checks.check import Check
from hardy_gauge.core.figures.formatting import amount, duration, share, size
from hardy_gauge.core.statements.rows import StatementRow

FigureCheck = Check[StatementRow]
ENOUGH = 20.0
VARIES, FAILS, WAITS, PLANNING, FAR_ABOVE, LONGER = 2.0, 0.01, 0.2, 0.3, 100.0, 2.0
SMALL_S, OFTEN_PER_S = 0.001, 100.0
MUCH_LOG_BYTES = 1e6
PAGE_BYTES = 8192


def _varies(row: StatementRow) -> Iterator[str]:
    if (
        row.calls >= ENOUGH
        and row.spread_s is not None
        and row.time_per_call_s
        and row.spread_s >= VARIES * row.time_per_call_s
    ):
        yield f"{duration(row.time_per_call_s)} a call on average, with a standard deviation of {duration(row.spread_s)}"


def _fails(row: StatementRow) -> Iterator[str]:
    if row.errors and row.errors / max(row.calls + row.errors, 1.0) >= FAILS:
        yield f"{amount(row.errors)} calls ended with an error, {share(row.errors / (row.calls + row.errors))} of them"


def _waits(row: StatementRow) -> Iterator[str]:
    for family in ("row lock", "object lock"):
        part = row.families.get(family, 0.0) / row.time_s if row.time_s else 0.0
        if part >= WAITS:
            yield f"{share(part)} of its time is waiting for a {family}"


def _writes_much(row: StatementRow) -> Iterator[str]:
    if row.log_bytes_per_call is not None and row.log_bytes_per_call >= MUCH_LOG_BYTES:
        yield f"{size(row.log_bytes_per_call)} of log a call"


def _temporary(row: StatementRow) -> Iterator[str]:
    if row.temporary_pages_per_call:
        yield f"{size(row.temporary_pages_per_call * PAGE_BYTES)} of temporary files a call"


def _reads_much(row: StatementRow) -> Iterator[str]:
    if row.examined_per_row is not None and row.examined_per_row >= FAR_ABOVE:
        yield f"{amount(row.examined_per_row)} rows are read for each that is returned"


def _longer(row: StatementRow) -> Iterator[str]:
    usual = row.reference_time_per_call_s
    if usual is not None and row.time_per_call_s and usual.value and row.time_per_call_s >= LONGER * usual.high:
        yield f"{duration(row.time_per_call_s)} a call, usually {duration(usual.value)}"


def _growing(row: StatementRow) -> Iterator[str]:
    usual = row.reference_calls_per_s
    if usual is not None and usual.value and row.calls_per_s >= LONGER * usual.high:
        yield f"{amount(row.calls_per_s)} calls a second, usually {amount(usual.value)}"


def _planning(row: StatementRow) -> Iterator[str]:
    planned = row.planning_per_call_s
    if planned is not None and row.time_per_call_s and planned >= PLANNING * (planned + row.time_per_call_s):
        yield f"{duration(planned)} of planning a call, {duration(row.time_per_call_s)} of running"


def _one_by_one(row: StatementRow) -> Iterator[str]:
    few = row.rows_returned_per_call is not None and row.rows_returned_per_call <= 1.5
    if few and row.calls_per_s >= OFTEN_PER_S and row.time_per_call_s is not None and row.time_per_call_s < SMALL_S:
        yield f"{amount(row.calls_per_s)} calls a second of {duration(row.time_per_call_s)} for one row each"


CHECKS = (
    FigureCheck(
        "figures_vary", "figures", "The time of a call varies much", "plan", "Some values, or some moments, cost many times what others do.",
        "See its executions by value, and its plans over time.", "Safe to look into.", 0.75, _varies,
    ),
    FigureCheck(
        "figures_fail", "figures", "Calls fail", "act", "Somebody does not get an answer, or asks again.",
        "Read what the log says while it runs.", "Safe to look into.", 0.95, _fails,
    ),
    FigureCheck(
        "figures_wait_for_locks", "figures", "It waits for locks of others", "plan", "Its time is that of those who hold what it wants.",
        "See under Holdups who holds it, and for how long.", "Safe to look into.", 0.9, _waits,
    ),
    FigureCheck(
        "figures_much_log", "figures", "Each call writes much to the log", "note", "Log goes to disk, to replicas and to archives.",
        "Write in smaller pieces, or fewer columns and indexes.", "In pieces others see what is half done.", 0.8, _writes_much,
    ),
    FigureCheck(
        "figures_temporary_files", "figures", "Calls write temporary files", "plan", "What does not fit into a step's memory goes to disk and back.",
        "Return fewer rows before sorting or hashing, or give the service more memory for it.", "Memory is taken by each session.", 0.9, _temporary,
    ),
    FigureCheck(
        "figures_read_much", "figures", "Far more rows are read than are returned", "plan", "The server works for rows that nobody gets.",
        "See its plan, and what its conditions are served by.", "An index is built beside the work; try it on a twin first.", 0.8, _reads_much,
    ),
    FigureCheck(
        "figures_longer", "figures", "A call takes longer than it used to", "plan", "Something changed: the plan, the data, or what it waits for.",
        "See its plans over time and what changed at that moment.", "Safe to look into.", 0.85, _longer,
    ),
    FigureCheck(
        "figures_more_calls", "figures", "It is called more than it used to be", "note", "Somebody asks more often, perhaps once for each row of something.",
        "See which service calls it, and since when.", "Safe to look into.", 0.8, _growing,
    ),
    FigureCheck(
        "figures_planning", "figures", "Planning is a large part of each call", "note", "Each call pays for it anew.",
        "Prepare the statement once and run it often.", "A prepared plan is for any value: see whether values differ much.", 0.8, _planning,
    ),
    FigureCheck(
        "figures_one_by_one", "figures", "Rows are fetched one by one", "note", "The way to the server and back costs more than the row.",
        "Ask for many keys in one call.", "The caller has to be changed.", 0.6, _one_by_one,
    ),
)  # fmt: skip
