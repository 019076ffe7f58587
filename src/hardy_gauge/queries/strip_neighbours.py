"""Figures that can be added to strips: of what lies beside what is shown."""

from __future__ import annotations

from collections.abc import Sequence

import polars as pl

from hardy_gauge.core.figures.catalogue import FIGURES
from hardy_gauge.core.strips.band import STATEMENT_FIGURES, BandKey, Choice
from hardy_gauge.core.time.span import Span
from hardy_gauge.queries.reader import Reader
from hardy_gauge.queries.samples import read_samples
from hardy_gauge.queries.server_figures import recorded_figures
from hardy_gauge.queries.statements import texts_of
from hardy_gauge.store.models import Server

MOST_SERVERS, MOST_NAMES, HEAVIEST = 4, 12, 5


def neighbours_of(reader: Reader, keys: Sequence[BandKey], servers: Sequence[Server], span: Span) -> list[Choice]:
    """Figures that are not shown yet, of what lies beside what is: the server's own, its wait families, its services, its cluster, and
    the statements that take most of its time.
    """
    shown = {key.text() for key in keys}
    found: list[Choice] = []
    for server in servers[:MOST_SERVERS]:
        figures = [*FIGURES.values(), *recorded_figures(server, reader.counters([server.id], span))]
        found += [Choice(f"figure:{server.name}:{one.name}", one.title, server.name) for one in figures]
        samples = read_samples(reader, [server], span, ["wait_family", "service", "statement"])
        for kind, column in (("family", "wait_family"), ("service", "service")):
            values = samples.group_by(column).agg(pl.len().alias("n")).sort("n", descending=True)[column].to_list()
            words = {"family": "waiting: ", "service": "service: "}[kind]
            found += [
                Choice(f"{kind}:{server.name}:{one}", f"{words}{one}", server.name)
                for one in values[:MOST_NAMES]
                if one
            ]
        found += _statements(reader, server, samples)
        if server.cluster is not None:
            found.append(
                Choice(
                    f"cluster:{server.cluster.name}:active_sessions",
                    "active sessions of the whole cluster",
                    server.name,
                )
            )
    return [one for one in found if one.key not in shown]


def _statements(reader: Reader, server: Server, samples: pl.DataFrame) -> list[Choice]:
    """The five statements that take most time."""
    top = (
        samples.filter(pl.col("statement") >= 0)
        .group_by("statement")
        .agg(pl.len().alias("n"))
        .sort("n", descending=True)
        .head(HEAVIEST)
    )
    rows = texts_of(reader, top["statement"].to_list())
    return [
        Choice(
            f"statement:{server.name}:{rows[number].fingerprint}:{figure}",
            f"{title}: {rows[number].text[:60]}",
            server.name,
        )
        for number in top["statement"].to_list()
        if number in rows
        for figure, (title, _, _, _) in STATEMENT_FIGURES.items()
        if figure in ("active", "time", "calls")
    ]
