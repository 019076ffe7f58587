"""Ask PostgreSQL for the plan of a text with parameters in place of its values; nothing of the text is run."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager
from typing import Any

import psycopg

from hardy_gauge.core.plans.readers import postgresql as reader
from hardy_gauge.core.sql.finding_query import finding_query
from hardy_gauge.probes.plan_answer import answer
from hardy_gauge.probes.protocol import Explained, ExplainRequest, Refused
from hardy_gauge.probes.sqlpack.connection import MARK, Line

NAME = "hardy_gauge_asked"


class NotAllowed(Refused):
    """The account may not do what the text would do, so that its plan is not shown either."""


def explain(line: Line, request: ExplainRequest) -> Explained:
    """The generic plan of a text; of a write that the account may not do, the plan by which its rows are found.

    Refused when the server does not understand the text, or when the request makes up or hides an index: this engine
    plans with the indexes that it has.
    """
    for field in ("add_indexes", "drop_indexes"):
        if getattr(request, field):
            raise Refused("PostgreSQL plans only with the indexes that it has", field)
    try:
        document = _document(line, request.text)
    except NotAllowed:
        finding = finding_query(request.text, "postgres")
        if finding is None:
            raise
        document = _document(line, finding)
    return answer(reader.read(document))


def prepared_plan(driver: Any, name: str) -> Any:
    """The plan of a prepared statement for any values, as the engine's document; nothing is run."""
    sql = f"{MARK}SELECT coalesce(array_length(parameter_types, 1), 0) FROM pg_prepared_statements WHERE name = %s"
    (count,) = driver.execute(sql, [name]).fetchone()
    values = f"({', '.join(['NULL'] * count)})" if count else ""
    (document,) = driver.execute(f"{MARK}EXPLAIN (FORMAT JSON) EXECUTE {name}{values}").fetchone()
    return document


def _document(line: Line, text: str) -> Any:
    after: list[str] = []
    with line.session() as connection:
        driver: Any = connection.connection.driver_connection
        try:
            with _refused_as_text():
                # the extended protocol takes one command and no more
                driver.execute(f"{MARK}PREPARE {NAME} AS {text}", None, binary=True)
                after.append(f"{MARK}DEALLOCATE {NAME}")
                driver.execute("SET plan_cache_mode = force_generic_plan")
                after.append("RESET plan_cache_mode")
                return prepared_plan(driver, NAME)
        finally:
            for statement in after:
                driver.execute(statement)


@contextmanager
def _refused_as_text() -> Iterator[None]:
    """What the server says against a text becomes Refused."""
    try:
        yield
    except psycopg.errors.InsufficientPrivilege as error:
        raise NotAllowed(error.diag.message_primary or "the account may not do this", "text") from error
    except (psycopg.ProgrammingError, psycopg.DataError, psycopg.NotSupportedError) as error:
        raise Refused(error.diag.message_primary or " ".join(str(error).split()), "text") from error
