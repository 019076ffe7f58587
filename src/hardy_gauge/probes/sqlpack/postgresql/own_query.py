"""A user's own query: on a connection of its own, in a transaction that the server itself keeps read-only.

It runs as a cursor over a subquery, which takes one query that gives rows and refuses whatever writes (PostgreSQL
documentation, DECLARE); the server ends it when its time is over, gives at most so many rows, and cuts each value, before the
query could change any of that. Afterwards everything it left in its session is discarded.
"""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from sqlalchemy import Connection

from hardy_gauge.errors import ProbeError
from hardy_gauge.probes.sqlpack.connection import MARK, Line, Row

TIME_MS = 2000
LONGEST_VALUE, LONGEST_LABEL = 64, 200
CURSOR = f"""DECLARE own_figure NO SCROLL CURSOR FOR
SELECT left(found ->> 'value', {LONGEST_VALUE}) AS value, left(found ->> 'label', {LONGEST_LABEL}) AS label,
       jsonb_exists(found, 'value') AS valued, jsonb_exists(found, 'label') AS labelled
FROM (SELECT to_jsonb(own) AS found FROM (
{{sql}}
) AS own) AS rows"""


def own_rows(line: Line, sql: str, most_rows: int, settings: Mapping[str, str] | None = None) -> list[Row]:
    """At most so many rows with ``value``, and ``label`` where the query gives one; ProbeError when it cannot be run so. ``settings``
    hold for the query alone.
    """
    with line.session() as connection:
        driver: Any = connection.connection.dbapi_connection
        driver.prepare_threshold = None  # what it prepared would be discarded behind its back
        try:
            # whoever may write files or start programs could leave the transaction behind
            reported, why = driver.execute(MARK + line.pack.check_of("own_figures").sql).fetchone()
            if not reported:
                raise ProbeError(why)
            try:
                rows = _asked(driver, sql.strip().rstrip(";"), most_rows, settings or {})
            finally:
                driver.execute("ROLLBACK")
                driver.execute("DISCARD ALL")
                for statement in line.pack.connect:
                    driver.execute(MARK + statement)
        except driver_error(connection) as error:
            if driver.closed:
                line.close()
            raise ProbeError(" ".join(str(error).split())[:400]) from error
    if any(not valued for _, _, valued, _ in rows):
        raise ProbeError("the query gives no column named value")
    return [{"value": value, **({"label": label} if labelled else {})} for value, label, _, labelled in rows]


def _asked(driver: Any, sql: str, most_rows: int, settings: Mapping[str, str]) -> list[tuple[Any, ...]]:
    driver.execute("BEGIN TRANSACTION READ ONLY")
    driver.execute(f"SET LOCAL statement_timeout = {TIME_MS}")
    for name, value in settings.items():
        driver.execute("SELECT set_config(%s, %s, true)", [name, value])
    # a binary cursor asks by the extended protocol, which takes one statement and no more
    driver.cursor(binary=True).execute(MARK + CURSOR.format(sql=sql))
    found: list[tuple[Any, ...]] = driver.execute(f"FETCH {int(most_rows)} FROM own_figure").fetchall()
    return found


def driver_error(connection: Connection) -> type[Exception]:
    """What the driver raises for what the server refuses."""
    error: type[Exception] = connection.dialect.loaded_dbapi.Error
    return error
