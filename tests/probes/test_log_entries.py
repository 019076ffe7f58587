"""Entries of a PostgreSQL log as messages: what our own session was refused is no trouble of the server."""

from __future__ import annotations

import pytest

from hardy_gauge.probes.sqlpack.postgresql.entries import OURS, message_of
from hardy_gauge.probes.sqlpack.postgresql.log_tail import Entry


def entry(service: str, severity: str = "ERROR", message: str = "permission denied for table loan") -> Entry:
    return Entry(1, "gauge", "postgres", service, "EXPLAIN", severity, "42501", message, "", "EXPLAIN SELECT 1")


@pytest.mark.parametrize(
    ("service", "severity", "kept"),
    [
        ("desk", "ERROR", True),
        (OURS, "ERROR", False),
        (OURS, "WARNING", False),
        (OURS, "LOG", True),
        ("", "FATAL", True),
    ],
)
def test_errors_of_our_own_session_are_left_out(service: str, severity: str, kept: bool) -> None:
    assert (message_of(entry(service, severity)) is not None) == kept


def test_what_only_tells_how_long_a_call_took_is_no_message() -> None:
    assert message_of(entry("desk", "LOG", "duration: 12.1 ms  statement: SELECT 1")) is None
