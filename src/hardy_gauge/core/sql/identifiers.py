"""Names as they stand in SQL."""

from __future__ import annotations

import re

_PLAIN = re.compile(r"[a-z_][a-z0-9_$]*")


def quoted(name: str) -> str:
    """In double quotes where it needs them (SQL standard, "delimited identifier")."""
    return name if _PLAIN.fullmatch(name) else '"' + name.replace('"', '""') + '"'


def quoted_path(name: str) -> str:
    """The same of a name that may have its schema before a dot."""
    schema, dot, last = name.partition(".")
    return f"{quoted(schema)}.{quoted(last)}" if dot else quoted(schema)
