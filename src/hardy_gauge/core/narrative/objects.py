"""What a server's tables say first."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from hardy_gauge.core.figures.formatting import figure

# rows read by whole scans a second from which a table is named
MANY_ROWS_PER_S = 1000.0


def objects_sentence(server: str, reported: bool, tables: Sequence[str], scanned_per_s: Mapping[str, float]) -> str:
    """``scanned_per_s`` are rows read by whole scans, by table."""
    if not tables:
        return f"{server} has not reported its tables." if not reported else f"{server} has no tables of its own."
    count = "one table" if len(tables) == 1 else f"{len(tables)} tables"
    if not reported:
        return f"{server} has {count}; what is done with them is not reported."
    most = max(scanned_per_s, key=lambda name: scanned_per_s[name], default="")
    if most and scanned_per_s[most] >= MANY_ROWS_PER_S:
        return (
            f"{server} has {count}; most rows read by whole scans are of {most}, {figure(scanned_per_s[most], '/s')}."
        )
    return f"{server} has {count}; whole scans read few rows."
