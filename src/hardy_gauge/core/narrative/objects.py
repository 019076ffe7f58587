"""What a server's tables say first."""

from __future__ import annotations

from collections.abc import Mapping

from hardy_gauge.core.figures.formatting import figure

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
