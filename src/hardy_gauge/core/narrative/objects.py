"""What a server's tables say first."""

from __future__ import annotations

from collections.abc import Mapping

from hardy_gauge.core.figures.formatting import amount, counted, figure, share, size

# rows read by whole scans a second from which a table is named
MANY_ROWS_PER_S = 1000.0


def objects_sentence(server: str, reported: bool, tables: int, scanned_per_s: Mapping[str, float]) -> str:
    """``tables`` are those of its schema, if that is ``reported``; ``scanned_per_s`` rows read by whole scans of those of which it is
    known.
    """
    if not tables:
        return f"{server} has no tables of its own." if reported else f"{server} does not report its tables."
    count = "one table" if tables == 1 else f"{tables} tables"
    most = max(scanned_per_s, key=lambda name: scanned_per_s[name], default="")
    if not most:
        return f"{server} has {count}; what was read of them in this window is not known."
    if scanned_per_s[most] >= MANY_ROWS_PER_S:
        rate = figure(scanned_per_s[most], "/s")
        return f"{server} has {count}; whole scans read most rows of {most}, {rate}."
    return f"{server} has {count}; whole scans read few rows of them."


def table_sentence(
    table: str,
    server: str,
    rows: float,
    bytes_: float,
    per_day: float | None,
    statements: int,
    time_share: float | None,
) -> str:
    """How large it is, whether it grows, and how much of the server's time goes to statements on it; ``time_share`` None where no
    statement was counted.
    """
    grown = ""
    if per_day is not None:
        grown = f", {size(per_day)} more each day" if per_day > 0 else ", and does not grow"
    if time_share is None:
        used = "; who touches it is not known, for no statement was counted"
    elif statements:
        used = f"; {counted(statements, 'statement')} with {share(time_share)} of the time of {server} touched it"
    else:
        used = "; no statement that was counted touched it"
    return f"{table} holds {amount(rows)} rows in {size(bytes_)}{grown}{used}."
