"""One call of a text on a made database, within the time that it may take."""

from __future__ import annotations

import threading
import time
from collections.abc import Iterator, Sequence
from contextlib import contextmanager
from typing import Any

import psycopg

from hardy_gauge.errors import InvalidInput

MOST_ROWS = 200_000
LONGEST_S = 20.0  # of one call


@contextmanager
def ended_in_time(connection: psycopg.Connection[Any]) -> Iterator[None]:
    """A text may set its own limits; this one it cannot reach."""
    timer = threading.Timer(LONGEST_S, connection.cancel)
    timer.start()
    try:
        yield
    finally:
        timer.cancel()


def said(error: psycopg.Error) -> str:
    return error.diag.message_primary or " ".join(str(error).split())


def call(
    connection: psycopg.Connection[Any], text: str, part: str, values: Sequence[str | None]
) -> tuple[list[Any], list[str], float]:
    """Rows, names of their columns, and seconds. InvalidInput, which names the ``part``, where the server refuses the text, it takes too
    long, or gives too many rows.
    """
    cursor = psycopg.RawCursor(connection)
    began = time.perf_counter()
    try:
        with ended_in_time(connection):
            cursor.execute(text.encode(), list(values), binary=False)
            rows = cursor.fetchmany(MOST_ROWS + 1) if cursor.description else []
    except psycopg.errors.QueryCanceled as error:
        raise InvalidInput(f"{part}: it took longer than {LONGEST_S:.0f} s on made data", part) from error
    except psycopg.Error as error:
        raise InvalidInput(f"{part}: {said(error)}", part) from error
    took = time.perf_counter() - began
    if len(rows) > MOST_ROWS:
        raise InvalidInput(f"{part}: it gives more than {MOST_ROWS:,} rows, which are not compared", part)
    return rows, [column.name for column in cursor.description or ()], took
