"""Which statements a stored routine runs, and which statements call it: definitions of routines against what was counted."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from sqlalchemy import select

from hardy_gauge.core.narrative.routines import routines_sentence
from hardy_gauge.core.sql.routines import Routine, calls_routine, routine_of
from hardy_gauge.core.statements.rows import StatementRow
from hardy_gauge.queries.reader import Reader
from hardy_gauge.queries.recorded_schema import definitions_of
from hardy_gauge.store.models import Server, Snapshot


@dataclass(frozen=True)
class RoutineStep:
    """A statement of a routine; ``calls`` and the rest are None where none was counted in the focus. ``nested_share`` is the part of its
    calls that was made inside another call, ``share`` that of the time of all statements of the routine.
    """

    routine: str
    fingerprint: str
    text: str
    calls: float | None
    time_s: float | None
    nested_share: float | None
    share: float | None


@dataclass(frozen=True)
class Caller:
    """A statement that names a routine."""

    routine: str
    fingerprint: str
    text: str


@dataclass(frozen=True)
class RoutineSheet:
    """Of one statement: what the routines run that it calls, the longest first, and the routines that run it with who calls those."""

    sentence: str
    runs: Sequence[RoutineStep]
    run_by: Sequence[str]
    callers: Sequence[Caller]


def routine_sheet(
    reader: Reader, servers: Sequence[Server], fingerprint: str, text: str, rows: Sequence[StatementRow]
) -> RoutineSheet | None:
    """None where no routine has to do with the statement, or the definitions of routines were not recorded."""
    routines = [one for server in servers for one in _routines(reader, server)]
    called = [one for one in routines if calls_routine(text, one.name)]
    within = [one for one in routines if any(step.fingerprint == fingerprint for step in one.statements)]
    if not called and not within:
        return None
    counted = {row.fingerprint: row for row in rows}
    runs = [step for one in dict.fromkeys(called) for step in _steps(one, counted)]
    runs.sort(key=lambda step: -(step.time_s or 0.0))
    names = list(dict.fromkeys(one.name for one in within))
    callers = [
        Caller(name, row.fingerprint, row.text) for name in names for row in rows if calls_routine(row.text, name)
    ]
    dynamic = sorted({one.name for one in called if one.dynamic})
    return RoutineSheet(routines_sentence(sorted({one.name for one in called}), dynamic, names), runs, names, callers)


def _routines(reader: Reader, server: Server) -> list[Routine]:
    """Read from the definitions when those were recorded anew."""
    with reader.store.read() as session:
        taken = session.scalar(
            select(Snapshot.taken_us).where(Snapshot.server_id == server.id, Snapshot.kind == "planner")
        )
    if taken is None:
        return []

    def read() -> list[Routine]:
        return [one for sql in definitions_of(reader, server) or [] if (one := routine_of(sql)) is not None]

    return reader.kept_as(("routines", server.id), taken, read)


def _steps(routine: Routine, counted: Mapping[str, StatementRow]) -> list[RoutineStep]:
    known = [counted.get(one.fingerprint) for one in routine.statements]
    whole = sum(row.time_s for row in known if row is not None)
    return [
        RoutineStep(routine.name, one.fingerprint, one.text, None, None, None, None)
        if row is None
        else RoutineStep(
            routine.name, one.fingerprint, row.text, row.calls, row.time_s, row.nested_share, row.time_s / whole if whole else None
        )
        for one, row in zip(routine.statements, known, strict=True)
    ]  # fmt: skip
