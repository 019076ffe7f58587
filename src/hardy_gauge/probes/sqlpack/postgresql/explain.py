"""Ask PostgreSQL for the plan of a text with parameters in place of its values; nothing of the text is run."""

from __future__ import annotations

from typing import Any

import psycopg
import psycopg.sql
from sqlalchemy import Connection

from hardy_gauge.core.plans.readers import postgresql as reader
from hardy_gauge.probes.plan_answer import answer
from hardy_gauge.probes.protocol import Explained, ExplainRequest, IndexSpec, Refused
from hardy_gauge.probes.sqlpack.connection import MARK, Line

NAME = "hardy_gauge_asked"


def explain(line: Line, request: ExplainRequest) -> Explained:
    """The generic plan of a text; with indexes that do not exist where the extension hypopg is there.

    Refused when the server does not understand the text, or has no such extension.
    """
    after: list[str] = []
    with line.session() as connection:
        driver: Any = connection.connection.driver_connection
        try:
            _imagine(connection, driver, request, after)
            # the extended protocol takes one command and no more
            _try(driver, "text", f"{MARK}PREPARE {NAME} AS {request.text}", binary=True)
            after.append(f"{MARK}DEALLOCATE {NAME}")
            driver.execute("SET plan_cache_mode = force_generic_plan")
            after.append("RESET plan_cache_mode")
            sql = f"{MARK}SELECT coalesce(array_length(parameter_types, 1), 0) FROM pg_prepared_statements WHERE name = %s"
            (count,) = driver.execute(sql, [NAME]).fetchone()
            values = f"({', '.join(['NULL'] * count)})" if count else ""
            (document,) = _try(driver, "text", f"{MARK}EXPLAIN (FORMAT JSON) EXECUTE {NAME}{values}").fetchone()
        finally:
            for statement in after:
                driver.execute(statement)
    return answer(reader.read(document))


def _try(driver: Any, field: str, sql: str, values: list[str] | None = None, binary: bool = False) -> Any:
    """Run one command; what the server says against it becomes Refused of a field."""
    try:
        return driver.execute(sql, values, binary=binary)
    except (psycopg.ProgrammingError, psycopg.DataError, psycopg.NotSupportedError) as error:
        raise Refused(error.diag.message_primary or " ".join(str(error).split()), field) from error


def _imagine(connection: Connection, driver: Any, request: ExplainRequest, after: list[str]) -> None:
    """Make up indexes and hide others for this session alone; ``after`` gets what takes that back."""
    if not request.add_indexes and not request.drop_indexes:
        return
    if not connection.exec_driver_sql("SELECT count(*) FROM pg_extension WHERE extname = 'hypopg'").scalar():
        raise Refused("the server cannot imagine indexes: the extension hypopg is not created there", "add_indexes")
    after.append(f"{MARK}SELECT hypopg_reset()")
    for spec in request.add_indexes:
        sql = f"{MARK}SELECT * FROM hypopg_create_index(%s)"
        _try(driver, "add_indexes", sql, [_definition(driver, spec)])
    for name in request.drop_indexes:
        _try(driver, "drop_indexes", f"{MARK}SELECT hypopg_hide_index(%s::regclass)", [_quoted(name)])


def _definition(driver: Any, spec: IndexSpec) -> str:
    columns = ", ".join(psycopg.sql.Identifier(c).as_string(driver) for c in spec.columns)
    return f"CREATE INDEX ON {_quoted(spec.table)} ({columns})"


def _quoted(name: str) -> str:
    """A name, with its schema before a point if it is not in the usual one."""
    return ".".join('"' + part.replace('"', '""') + '"' for part in name.split(".", 1))
