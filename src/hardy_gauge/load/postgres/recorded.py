"""A trial drawn up from what was recorded of a PostgreSQL of the fleet: its statements by weight, with values from its own statistics."""

from __future__ import annotations

from collections.abc import Sequence
from contextlib import closing
from dataclasses import dataclass
from typing import Any

import psycopg
from sqlalchemy import select

from hardy_gauge.capture.access import AccountUser
from hardy_gauge.core.narrative.recorded_trial import (
    kept_values_words,
    left_out_words,
    not_asked_words,
    nothing_words,
    values_words,
)
from hardy_gauge.core.statements.rows import StatementRow
from hardy_gauge.core.time.window import Window
from hardy_gauge.core.trials.draft import Change, changed_trial, goal_of, lab_trial
from hardy_gauge.errors import InvalidInput
from hardy_gauge.lab.made.parameters import TYPES, compared_with, usual_values
from hardy_gauge.load.design import BadTrial
from hardy_gauge.load.kept_values import FEWEST
from hardy_gauge.load.postgres.access import connect, is_postgresql, open_access
from hardy_gauge.load.postgres.arms import values_of_column
from hardy_gauge.load.postgres.server_state import kind_of
from hardy_gauge.queries.kept_values import kept_values
from hardy_gauge.queries.reader import Reader
from hardy_gauge.queries.scope import server_named
from hardy_gauge.queries.statement_rows import statement_rows
from hardy_gauge.store.models import Server
from hardy_gauge.store.servers import is_lab

MOST_STATEMENTS = 12
NAME = "hardy-gauge draft"


@dataclass(frozen=True)
class RecordedTrial:
    """A design to be read and changed, and from where its statements and values come."""

    design: dict[str, Any]
    told: list[str]


def recorded_trial(reader: Reader, window: Window, name: str, user: AccountUser) -> RecordedTrial:
    """Statements that took most of the time of the focus and write nothing. InvalidInput for a server that is no PostgreSQL.
    Where it cannot be asked with its own account that is said, and the statements are left to be written.
    """
    server_named(reader, name)
    with reader.store.read() as session:
        if not is_postgresql(session.scalars(select(Server).where(Server.name == name)).one()):
            raise InvalidInput(f"server: {name} is no PostgreSQL that is reached with an account", "server")
    called = _called(reader, window, name)
    try:
        played, told = _drawn(reader, name, _reads(called), user, kept=True)
    except BadTrial as error:
        return RecordedTrial(lab_trial(name, []), [not_asked_words(name, str(error))])
    return RecordedTrial(lab_trial(name, played), [*told, *nothing_words(_writes(called), not played)])


def recorded_change(reader: Reader, window: Window, name: str, change: Change, user: AccountUser) -> RecordedTrial:
    """A trial of what a remedy changes on a PostgreSQL, with the statements recorded in the focus: on the server itself where it is for
    trials, otherwise on one that is made after what is known of it. InvalidInput where the statement that it is about cannot be played.
    """
    with reader.store.read() as session:
        lab = is_lab(session.scalars(select(Server).where(Server.name == name)).one())
    called = _called(reader, window, name)
    mine = [row for row in called if row.fingerprint == change.statement]
    if change.statement and not mine:
        detail = "statement: it was not called in this window; move the focus"
        raise InvalidInput(detail, "statement", "Nothing to play")
    if mine and not _reads(mine):
        detail = (
            "statement: it writes, and what it writes would stay; write a trial on a PostgreSQL that is made for it"
        )
        raise InvalidInput(detail, "statement", "It writes")
    others = [row for row in _reads(called) if row.fingerprint != change.statement]
    played, told = _drawn(reader, name, [*mine, *others][:MOST_STATEMENTS], user, kept=lab)
    if mine and (not played or played[0][0] is not mine[0]):
        detail = "statement: the server does not take it by itself, so it cannot be played as it was recorded"
        raise InvalidInput(detail, "statement", "Cannot be played")
    design = lab_trial(name, played) | ({} if lab else {"target": {"postgresql": {"server": name}}})
    if mine:
        design["goal"] = {"metric": "p95", "at_most": goal_of(mine[0])}
    told += nothing_words(_writes(called), not played)
    return RecordedTrial(changed_trial(design, change, 0 if mine else None), told)


def _called(reader: Reader, window: Window, name: str) -> list[StatementRow]:
    return [row for row in statement_rows(reader, window, name).rows if row.calls_per_s > 0]


def _reads(called: Sequence[StatementRow]) -> list[StatementRow]:
    return [row for row in called if kind_of(row.text) == "reads"][:MOST_STATEMENTS]


def _writes(called: Sequence[StatementRow]) -> int:
    return sum(kind_of(row.text) != "reads" for row in called)


def _drawn(
    reader: Reader, name: str, reads: Sequence[StatementRow], user: AccountUser, kept: bool
) -> tuple[list[tuple[StatementRow, dict[str, Any]]], list[str]]:  # fmt: skip
    """Statements that the server takes, with values for their parameters, and from where those are: executions that were recorded with
    theirs where ``kept`` ones are wanted and there are enough, columns, or what is usual of a type.
    """
    told, played = list[str](), list[tuple[StatementRow, dict[str, Any]]]()
    access = open_access(reader.store, name, None, None, None, user)
    try:
        with closing(connect(access.changer, NAME, "target.account")) as session:
            session.execute("SET default_transaction_read_only = on")
            for row in reads:
                drawn = _parameters(session, row.text)
                if drawn is None:
                    told.append(left_out_words(row.text))
                    continue
                found = (
                    kept_values(reader.store, name, row.fingerprint, row.text, reader.clock()) if kept and drawn else []
                )
                if len(found) >= FEWEST:
                    told.append(kept_values_words(len(played), len(found)))
                    played.append((row, {"values_of": {"server": name, "statement": row.fingerprint}}))
                    continue
                told += [values_words(len(played), place + 1, one.get("column")) for place, one in enumerate(drawn)]
                played.append((row, {"parameters": drawn}))
    finally:
        access.close()
    return played, told


def _parameters(session: psycopg.Connection[Any], text: str) -> list[dict[str, Any]] | None:
    """For each parameter the column whose values it has, which stay in the server's statistics, or usual values of its type; None where
    the server does not take the text.
    """
    try:
        session.execute(f"PREPARE asked AS {text}".encode(), binary=True)
        (types,) = session.execute(TYPES, ["asked"]).fetchone() or ([],)
        session.execute("DEALLOCATE asked")
    except psycopg.Error:
        return None
    columns = {one.number: one for one in compared_with(text)}
    found: list[dict[str, Any]] = []
    for place, type_ in enumerate(types or []):
        column = columns.get(place + 1)
        known = column is not None and values_of_column(session, column.table, column.column)
        found.append(
            {"column": f"{column.table}.{column.column}"} if column and known else {"values": usual_values(type_)}
        )
    return found
