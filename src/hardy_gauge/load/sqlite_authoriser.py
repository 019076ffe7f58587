"""What statements of a trial may do to a SQLite file: work on its tables, and nothing beside them.

Actions and their arguments are those of sqlite3_set_authorizer (sqlite.org/c3ref/c_alter_table.html).
"""

from __future__ import annotations

import sqlite3

# pragmas that only tell, or that do a file's upkeep
PRAGMAS = frozenset(
    [
        "analysis_limit",
        "application_id",
        "collation_list",
        "compile_options",
        "data_version",
        "foreign_key_check",
        "foreign_key_list",
        "freelist_count",
        "function_list",
        "incremental_vacuum",
        "index_info",
        "index_list",
        "index_xinfo",
        "integrity_check",
        "optimize",
        "page_count",
        "pragma_list",
        "quick_check",
        "schema_version",
        "table_info",
        "table_list",
        "table_xinfo",
        "user_version",
        "wal_checkpoint",
    ]
)
FUNCTIONS = frozenset(("load_extension", "readfile", "writefile", "edit", "fts3_tokenizer", "fsdir", "lsmode"))
MOST_VALUE = 256 * 2**20


class Authoriser:
    """Called by SQLite for each action of a statement that is prepared; ``denied`` is the last one refused, in words."""

    def __init__(self) -> None:
        self.denied = ""

    def __call__(self, action: int, first: str | None, second: str | None, _: str | None, __: str | None) -> int:
        self.denied = _refusal(action, first, second) or self.denied
        return sqlite3.SQLITE_DENY if _refusal(action, first, second) else sqlite3.SQLITE_OK


def _refusal(action: int, first: str | None, second: str | None) -> str:
    if action == sqlite3.SQLITE_ATTACH:
        return "" if first == "" else "attach another file"  # VACUUM attaches a file without a name
    if action == sqlite3.SQLITE_PRAGMA and (first or "").lower() not in PRAGMAS:
        return f"use PRAGMA {first}; arms state the settings"
    if action == sqlite3.SQLITE_FUNCTION and (second or "").lower() in FUNCTIONS:
        return f"call {second}"
    return ""


def guard(connection: sqlite3.Connection) -> Authoriser:
    """Put a connection under an authoriser and limits; what is set by PRAGMA has to be set before."""
    authoriser = Authoriser()
    connection.execute("PRAGMA trusted_schema=OFF")
    connection.setlimit(sqlite3.SQLITE_LIMIT_LENGTH, MOST_VALUE)
    connection.setlimit(sqlite3.SQLITE_LIMIT_WORKER_THREADS, 0)
    connection.set_authorizer(authoriser)
    return authoriser
