"""A worker of a trial on a made PostgreSQL: executions one after another until the time is over, in a process of its own."""

from __future__ import annotations

import itertools
import random
import signal
import time
from array import array
from contextlib import suppress
from multiprocessing.connection import Connection
from typing import Any

import psycopg

from hardy_gauge.load.pacing import Pace, next_statement, pause_s
from hardy_gauge.sandbox.kernel import die_with_parent

FETCHED = 1000


def work(pipe: Connection, reached: dict[str, Any], asked: dict[str, Any], number: int) -> None:
    """Sent at last: start and duration in seconds (float64 each), the statement's number (int32), whether it failed (int8). A first
    message "ready" is answered with "go".
    """
    signal.signal(signal.SIGINT, signal.SIG_IGN)
    die_with_parent()
    draw = random.Random(asked["seed"] * 1000 + number)
    statements, pace, seconds = asked["statements"], Pace(**asked["pace"]), asked["seconds"]
    weights = [one["weight"] for one in statements]
    starts, durations, which_of, failures = array("d"), array("d"), array("i"), array("b")
    with psycopg.connect(**reached, autocommit=True) as connection:
        connection.execute("SET default_transaction_read_only = off")
        cursor = psycopg.RawCursor(connection)
        pipe.send_bytes(b"ready")
        pipe.recv_bytes()
        began = time.perf_counter()
        for turn in itertools.count():
            now = time.perf_counter() - began
            if now >= seconds or pipe.poll():
                break
            if pause := pause_s(pace, draw):
                time.sleep(pause)
                now = time.perf_counter() - began
            which = next_statement(pace, turn, number, weights, draw)
            failed = not _executed(cursor, statements[which], draw)
            starts.append(now)
            durations.append(time.perf_counter() - began - now)
            which_of.append(which)
            failures.append(failed)
    pipe.send_bytes(b"".join(column.tobytes() for column in (starts, durations, which_of, failures)))


def _executed(cursor: psycopg.RawCursor[Any], statement: dict[str, Any], draw: random.Random) -> bool:
    """False where the statement failed."""
    values = [drawn(draw, one) for one in statement["parameters"]]
    try:
        cursor.execute(statement["sql"], values, prepare=True)
        while cursor.description and cursor.fetchmany(FETCHED):
            pass
    except psycopg.Error:
        with suppress(psycopg.Error):
            cursor.connection.rollback()
        return False
    return True


def drawn(draw: random.Random, parameter: dict[str, float]) -> int:
    """A whole number from low to high; with a skew the low ones are more frequent."""
    span = parameter["high"] - parameter["low"] + 1
    return int(parameter["low"] + span * draw.random() ** (1 / (1 - parameter["skew"])))
