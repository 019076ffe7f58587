"""The figures of the user's own, by what they are and where they are recorded."""

from __future__ import annotations

from dataclasses import dataclass

from hardy_gauge.core.narrative.setup import figures_sentence
from hardy_gauge.core.time.span import MINUTE_US, Span
from hardy_gauge.queries.reader import Reader
from hardy_gauge.queries.scope import servers_in
from hardy_gauge.store.models import Server

OWN = "own."
LATELY_US = 10 * MINUTE_US


@dataclass(frozen=True)
class OwnQuery:
    """A query whose column ``value`` is recorded; a ``kind`` "counter" only grows and is shown as its rate. Outside ``least`` and
    ``most`` it is a finding.
    """

    name: str
    kind: str
    sql: str
    unit: str = ""
    title: str = ""
    least: float | None = None
    most: float | None = None


@dataclass(frozen=True)
class RecordedValue:
    """What was recorded last; ``label`` is empty where the figure is one value. ``column`` is its name in Strips."""

    server: str
    label: str
    value: float
    column: str


@dataclass(frozen=True)
class RecordedQuery:
    """One query as it is recorded on ``servers``; ``silent`` are those of them that gave no value in the last ten minutes."""

    figure: OwnQuery
    servers: list[str]
    values: list[RecordedValue]
    silent: list[str]


@dataclass(frozen=True)
class Scraped:
    """Addresses of OpenMetrics text beside a server."""

    server: str
    addresses: list[str]


@dataclass(frozen=True)
class OwnFigures:
    """``takes`` are the servers of which queries can be asked."""

    sentence: str
    figures: list[RecordedQuery]
    scraped: list[Scraped]
    takes: list[str]


def own_figures(reader: Reader, scope: str) -> OwnFigures:
    """Those of the servers of a scope, by name; queries that differ stand apart though they have one name."""
    servers = servers_in(reader, scope)
    found: dict[OwnQuery, list[Server]] = {}
    for server in servers:
        for document in server.figures:
            found.setdefault(OwnQuery(**document), []).append(server)
    figures = [_own(reader, figure, found[figure]) for figure in sorted(found, key=lambda one: (one.name, one.sql))]
    scraped = [Scraped(server.name, list(server.scrapes)) for server in servers if server.scrapes]
    takes = [server.name for server in servers if "own_figures" in server.abilities]
    silent = sum(bool(one.silent) for one in figures)
    return OwnFigures(
        figures_sentence(len(figures), silent, sum(len(one.addresses) for one in scraped)), figures, scraped, takes
    )


def _own(reader: Reader, figure: OwnQuery, owners: list[Server]) -> RecordedQuery:
    values, now = [], reader.clock()
    name = f"{OWN}{figure.name}"
    for server in owners:
        frame = reader.counters([server.id], Span(now - LATELY_US, now))
        for column in sorted(c for c in frame.columns if c == name or c.startswith(f"{name}.")):
            known = frame[column].drop_nulls()
            if len(known):
                values.append(
                    RecordedValue(server.name, column.removeprefix(name).removeprefix("."), float(known[-1]), column)
                )
    seen = {one.server for one in values}
    return RecordedQuery(
        figure, [one.name for one in owners], values, [one.name for one in owners if one.name not in seen]
    )
