"""Strips: chosen figures of any objects over a window, with their usual range, changes and findings; and what lies beside them."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
import polars as pl
from sqlalchemy import select

from hardy_gauge.core.activity.ledger import time_spent
from hardy_gauge.core.figures.catalogue import FIGURES, Figure, is_level, recorded_figure, volume_latencies
from hardy_gauge.core.narrative.strips import against_words, band_missing, strips_sentence
from hardy_gauge.core.strips.band import MOST_BANDS, STATEMENT_FIGURES, Band, BandKey, Choice, Flag, Strips
from hardy_gauge.core.strips.lag import LagCorrelation, lag_correlation
from hardy_gauge.core.strips.starting_sets import bands_of
from hardy_gauge.core.time.span import HOUR_US, MINUTE_US, SECOND_US, Span
from hardy_gauge.core.time.steps import Array, Times, finite, grid_of, means, step_of, sums
from hardy_gauge.queries.coverage import sampled
from hardy_gauge.queries.findings import FINDING, TROUBLE, findings_in
from hardy_gauge.queries.reader import Reader
from hardy_gauge.queries.samples import read_samples
from hardy_gauge.queries.scope import server_named, servers_in
from hardy_gauge.queries.tape import usual_of_sum
from hardy_gauge.store import segments
from hardy_gauge.store.finding_notes import stored_finding
from hardy_gauge.store.models import Change, Server, Statement

MOST_LAG_US = HOUR_US
LEAST_SEEN = 0.2  # of a step; a step of which less was looked at is left blank
Values = tuple[Array, Array, Array]  # values, low, high by step
NOTHING = np.empty(0)


def strips_of(reader: Reader, span: Span, keys: Sequence[BandKey], scope: str) -> Strips:
    """NotFound where a band is of a server or cluster that is none."""
    step = step_of(span)
    grid = grid_of(span, step)
    by_owner = {key.owner: _owners(reader, key) for key in keys}
    bands = [_band(reader, key, by_owner[key.owner], grid, step) for key in keys]
    servers = list({server.id: server for owners in by_owner.values() for server in owners}.values())
    if not servers:
        servers = servers_in(reader, scope)
    changes, findings = _flags(reader, servers, span)
    return Strips(
        strips_sentence(bands, span), span.iso(), grid.tolist(), step, bands, changes, findings,
        neighbours_of(reader, keys, servers, span),
    )  # fmt: skip


def _owners(reader: Reader, key: BandKey) -> list[Server]:
    return servers_in(reader, key.owner) if key.kind == "cluster" else [server_named(reader, key.owner)]


def _band(reader: Reader, key: BandKey, owners: list[Server], grid: Times, step: int) -> Band:
    span = Span(int(grid[0]), int(grid[-1]) + step)
    if key.kind == "cluster":
        title, unit, values = _of_cluster(reader, key, owners, span, grid, step)
    elif key.kind == "statement":
        title, unit, values = _of_statement(reader, key, owners[0], span, grid, step)
    elif key.kind == "figure":
        title, unit, values = _of_server(reader, key, owners[0], span, grid, step)
    else:
        title, unit, values = _of_samples(reader, key, owners[0], span, grid, step)
    missing = "" if np.isfinite(values[0]).any() else band_missing(title, key.owner)
    shown, low, high = (finite(one) for one in values)
    return Band(key.text(), title, key.owner, unit, shown, low, high, missing)


def figure_for(reader: Reader, server: Server, name: str, span: Span) -> Figure:
    """A figure of the catalogue, a latency of a volume, or that of a recorded column."""
    if name in FIGURES:
        return FIGURES[name]
    columns = reader.counters([server.id], span).columns if name.startswith("volume_") else []
    latencies = {one.name: one for one in volume_latencies(columns)}
    counters = {f"own.{one['name']}" for one in server.figures if one.get("kind") == "counter"}
    return latencies.get(name) or recorded_figure(name, not is_level(name) or ".".join(name.split(".")[:2]) in counters)


def _of_server(
    reader: Reader, key: BandKey, server: Server, span: Span, grid: Times, step: int
) -> tuple[str, str, Values]:
    figure = figure_for(reader, server, key.name, span)
    values = means(*reader.minutes(server.id, figure, span), grid, step)
    low, _, high = reader.usual_of(server.id, [figure])[figure.name].at(grid + step // 2)
    return figure.title, figure.unit, (values, low, high)


def _of_cluster(
    reader: Reader, key: BandKey, owners: Sequence[Server], span: Span, grid: Times, step: int
) -> tuple[str, str, Values]:
    """Summed over the members; of a ratio the mean of those that have it."""
    parts = [_of_server(reader, BandKey("figure", one.name, key.name), one, span, grid, step) for one in owners]
    rows = np.array([values for _, _, (values, _, _) in parts])
    known = np.isfinite(rows).any(axis=0)
    ratio = figure_for(reader, owners[0], key.name, span).kind == "ratio"
    total = np.nansum(rows, axis=0) / (np.maximum(np.isfinite(rows).sum(axis=0), 1) if ratio else 1)
    low = high = np.full(len(grid), np.nan)
    if key.name == "active_sessions":
        low, _, high = usual_of_sum(reader, owners)[0].at(grid + step // 2)
    return parts[0][0], parts[0][1], (np.where(known, total, np.nan), low, high)


def _of_samples(
    reader: Reader, key: BandKey, server: Server, span: Span, grid: Times, step: int
) -> tuple[str, str, Values]:
    """Active sessions of a wait family or a service."""
    column = "wait_family" if key.kind == "family" else "service"
    samples = read_samples(reader, [server], span, [column]).filter(pl.col(column) == key.name)
    spent = samples.group_by("at_us").agg(time_spent(samples).alias("s")) if len(samples) else None
    looked = sampled(reader, [server], span)[server.id]
    seconds = np.array([_overlap(looked, int(at), int(at) + step) for at in grid])
    total = np.zeros(len(grid)) if spent is None else sums(spent["at_us"].to_numpy(), spent["s"].to_numpy(), grid, step)
    values = np.where(seconds >= LEAST_SEEN * step / SECOND_US, total / np.maximum(seconds, 1.0), np.nan)
    unknown = np.full(len(grid), np.nan)
    what = "working" if key.name == "processor" else f"{key.name}"
    title = f"active sessions: {what}" if key.kind == "family" else f"active sessions of {key.name}"
    return title, "", (values, unknown, unknown)


def _overlap(spans: Sequence[Span], since_us: int, until_us: int) -> float:
    return sum(max(0, min(one.until_us, until_us) - max(one.since_us, since_us)) for one in spans) / SECOND_US


def _of_statement(
    reader: Reader, key: BandKey, server: Server, span: Span, grid: Times, step: int
) -> tuple[str, str, Values]:
    title, unit, above, below = STATEMENT_FIGURES[key.figure]
    unknown = np.full(len(grid), np.nan)
    with reader.store.read() as session:
        number = session.scalar(select(Statement.id).where(Statement.fingerprint == key.name))
        columns = ["statement", above, *([below] if below else [])]
        frame = segments.read(session, [server.id], "statement", span.since_us, span.until_us, columns)
    said = f"{title} of a statement"
    if number is None or frame.is_empty() or frame[above].is_null().all():
        return said, unit, (unknown, unknown, unknown)
    minutes = frame["at_us"].unique().to_numpy()
    covered = sums(minutes, np.full(len(minutes), float(MINUTE_US // SECOND_US)), grid, step)
    mine = frame.filter(pl.col("statement") == number).drop_nulls([above])
    over = sums(mine["at_us"].to_numpy(), mine[above].to_numpy().astype(float), grid, step)
    under = sums(mine["at_us"].to_numpy(), mine[below].to_numpy().astype(float), grid, step) if below else covered
    with np.errstate(invalid="ignore", divide="ignore"):
        return said, unit, (np.where(under > 0, over / under, np.nan), unknown, unknown)


def _flags(reader: Reader, servers: Sequence[Server], span: Span) -> tuple[list[Flag], list[Flag]]:
    names = {server.id: server.name for server in servers}
    with reader.store.read() as session:
        rows = session.scalars(
            select(Change)
            .where(
                Change.server_id.in_(names), Change.kind != "upkeep", Change.at_us.between(span.since_us, span.until_us)
            )
            .order_by(Change.at_us)
        ).all()
    begun = [
        Flag(one.since_us, one.server, one.finding.title)
        for one in findings_in(reader, list(servers), span).findings
        if one.finding.grade in TROUBLE and one.finding.is_root and one.since_us >= span.since_us
    ]
    return [Flag(row.at_us, names[row.server_id], row.title) for row in rows], begun


def neighbours_of(reader: Reader, keys: Sequence[BandKey], servers: Sequence[Server], span: Span) -> list[Choice]:
    """Figures that are not shown yet, of what lies beside what is: the server's own, its wait families, its services, its cluster, and
    the statements that take most of its time.
    """
    shown = {key.text() for key in keys}
    found: list[Choice] = []
    for server in servers[:4]:
        columns = [c for c in reader.counters([server.id], span).columns if c not in ("at_us", "server_id", "span_s")]
        names = [*FIGURES, *sorted(c for c in columns if is_level(c)), *(one.name for one in volume_latencies(columns))]
        found += [
            Choice(f"figure:{server.name}:{name}", figure_for(reader, server, name, span).title, server.name)
            for name in names
        ]
        samples = read_samples(reader, [server], span, ["wait_family", "service", "statement"])
        for kind, column in (("family", "wait_family"), ("service", "service")):
            values = samples.group_by(column).agg(pl.len().alias("n")).sort("n", descending=True)[column].to_list()
            words = {"family": "waiting: ", "service": "service: "}[kind]
            found += [Choice(f"{kind}:{server.name}:{one}", f"{words}{one}", server.name) for one in values[:12] if one]
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
        .head(5)
    )
    with reader.store.read() as session:
        rows = {
            row.id: row
            for row in session.scalars(select(Statement).where(Statement.id.in_(top["statement"].to_list())))
        }
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


@dataclass(frozen=True)
class Against:
    """Two bands against each other: values of the steps in which both are known, and their correlation by lag, in seconds; None where
    too few are known or one does not vary.
    """

    sentence: str
    first: Band
    second: Band
    pairs: Sequence[tuple[float, float]]
    step_us: int
    correlation: LagCorrelation | None


def against_of(reader: Reader, span: Span, first: BandKey, second: BandKey) -> Against:
    """Over the focus, by minute or coarser."""
    step = step_of(span)
    grid = grid_of(span, step)
    bands = [_band(reader, key, _owners(reader, key), grid, step) for key in (first, second)]
    series = [np.array([np.nan if v is None else v for v in band.values]) for band in bands]
    both = np.isfinite(series[0]) & np.isfinite(series[1])
    pairs = list(zip(series[0][both].tolist(), series[1][both].tolist(), strict=True))
    known = lag_correlation(series[0], series[1], max(1, MOST_LAG_US // step))
    return Against(against_words(bands[0], bands[1], known, step), bands[0], bands[1], pairs, step, known)


def bands_for_finding(reader: Reader, number: int) -> list[BandKey]:
    """The figures that a finding's cause names; NotFound where there is no such finding."""
    with reader.store.read() as session:
        row = stored_finding(session, number)
        server = session.get_one(Server, row.server_id).name
    return bands_of(FINDING.validate_python(row.body), server)[:MOST_BANDS]
