"""Figures of the user's own: queries whose values are recorded, tried on the servers before they are kept there."""

from __future__ import annotations

import time
from collections.abc import Sequence
from concurrent.futures import ThreadPoolExecutor
from contextvars import copy_context
from dataclasses import dataclass

from sqlalchemy.orm import Session

from hardy_gauge.capture.access import probe_of
from hardy_gauge.errors import InvalidInput, NotFound, ProbeError, Unsupported
from hardy_gauge.probes.sqlpack.pack import FigureQuery
from hardy_gauge.probes.sqlpack.probe import SqlPackProbe
from hardy_gauge.store.database import Store
from hardy_gauge.store.models import Server

MOST_SHOWN, MOST_FIGURES, AT_ONCE = 12, 50, 8
# asked each minute: one that takes longer is too dear
LONGEST_S = 1.0


@dataclass(frozen=True)
class FigureValue:
    """One row of a query; ``label`` is empty where it gives none."""

    label: str
    value: float


@dataclass(frozen=True)
class CheckedFigure:
    """What a query gives on a server now: ``rows`` in all, the first ``values``, the seconds that it took there; ``problem`` is why it
    cannot be recorded, empty where it can.
    """

    server: str
    rows: int
    took_s: float
    values: list[FigureValue]
    problem: str


def check_figure(store: Store, server: Server, figure: FigureQuery) -> CheckedFigure:
    """Ask for it once, as it will be asked each minute."""
    try:
        probe = probe_of(store, server.id)
    except ProbeError as error:
        return CheckedFigure(server.name, 0, 0.0, [], str(error))
    try:
        if not isinstance(probe, SqlPackProbe):
            raise Unsupported("queries are asked of databases that are reached by their own protocol")
        began = time.perf_counter()
        rows = probe.figure_rows(figure)
        took = time.perf_counter() - began
        values = [FigureValue(label, value) for label, value in rows]
        return CheckedFigure(server.name, len(rows), took, values[:MOST_SHOWN], _problem(len(rows), took))
    except ProbeError as error:
        return CheckedFigure(server.name, 0, 0.0, [], str(error))
    finally:
        probe.close()


def check_on(store: Store, servers: Sequence[Server], figure: FigureQuery) -> list[CheckedFigure]:
    """The same on several servers beside each other, so that one that hangs holds no other up."""
    contexts = [copy_context() for _ in servers]  # who asks, for the audit log
    with ThreadPoolExecutor(AT_ONCE) as pool:
        asked = [
            pool.submit(context.run, check_figure, store, server, figure)
            for context, server in zip(contexts, servers, strict=True)
        ]
        return [one.result() for one in asked]


def _problem(rows: int, took_s: float) -> str:
    if not rows:
        return "it gives no row with a value"
    return f"it takes {took_s:.1f} s, which is too dear for each minute" if took_s > LONGEST_S else ""


def keep_figure(
    session: Session, servers: Sequence[Server], figure: FigureQuery, checked: Sequence[CheckedFigure]
) -> None:
    """Record it on the servers from now on, in place of one of that name; InvalidInput names the first on which it cannot be asked."""
    wrong = next((one for one in checked if one.problem), None)
    if wrong is not None:
        raise InvalidInput(f"sql: on {wrong.server} {wrong.problem}", "sql", "The figure cannot be recorded")
    for server in servers:
        row = session.get_one(Server, server.id)
        rest = [one for one in row.figures if one["name"] != figure.name]
        if len(rest) >= MOST_FIGURES:
            raise InvalidInput(f"scope: {row.name} has {MOST_FIGURES} figures of your own, which is the most", "scope")
        row.figures = [*rest, figure.model_dump()]


def drop_figure(session: Session, servers: Sequence[Server], name: str) -> None:
    """Record it no more; what was recorded stays. NotFound where none of the servers has it."""
    found = False
    for server in servers:
        row = session.get_one(Server, server.id)
        rest = [one for one in row.figures if one["name"] != name]
        found |= len(rest) < len(row.figures)
        row.figures = rest
    if not found:
        raise NotFound(f"no figure '{name}' is recorded there", "name")
