"""Statements as a list shows them: totals over the focus beside what is typical in the reference."""

from __future__ import annotations

from dataclasses import dataclass

from hardy_gauge.core.reference.typical_day import Typical


@dataclass(frozen=True)
class StatementRow:
    """Totals over the focus; figures of the reference are None where the statement was not called there.

    ``time_s`` holds finished calls and the ``unfinished_s`` of those still running at the window's end; a time per call
    is of finished calls alone, None where none finished. ``spread_s`` is the standard deviation of their times, ``least_s``
    and ``greatest_s`` are of all calls since the server counts them, ``nested_share`` of calls were made inside other calls,
    and ``errors`` are as the server counts them, or as its log says.
    """

    fingerprint: str
    text: str
    kind: str
    services: list[str]
    users: list[str]
    calls: float
    calls_per_s: float
    time_s: float
    unfinished: int
    unfinished_s: float
    share: float
    time_per_call_s: float | None
    rows_returned_per_call: float | None
    rows_examined_per_call: float | None
    examined_per_row: float | None
    pages_read_per_call: float | None
    log_bytes_per_call: float | None
    temporary_pages_per_call: float | None
    planning_per_call_s: float | None
    spread_s: float | None
    least_s: float | None
    greatest_s: float | None
    nested_share: float | None
    errors: float | None
    main_family: str
    families: dict[str, float]
    families_per_call: dict[str, float]
    reference_calls_per_s: Typical | None
    reference_time_per_call_s: Typical | None
    reference_examined_per_row: Typical | None
    reference_active_sessions: Typical | None
    difference: str
    first_seen_us: int


@dataclass(frozen=True)
class Statements:
    """``blind`` says what the list cannot see, empty where it sees all."""

    sentence: str
    reference_note: str
    blind: str
    scope: str
    span_s: float
    rows: list[StatementRow]
