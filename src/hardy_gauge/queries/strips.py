"""Strips: chosen figures of any objects over a window, with their usual range, changes and findings; and what lies beside them."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
import polars as pl
from sqlalchemy import select

from hardy_gauge.core.activity.ledger import time_spent
from hardy_gauge.core.figures.together import together
from hardy_gauge.core.narrative.strips import against_words, band_missing, strips_sentence
from hardy_gauge.core.strips.band import MOST_BANDS, STATEMENT_FIGURES, Band, BandKey, Strips
from hardy_gauge.core.strips.lag import LagCorrelation, lag_correlation
from hardy_gauge.core.strips.starting_sets import bands_of
from hardy_gauge.core.time.span import HOUR_US, MINUTE_US, SECOND_US, Span, overlap_s
from hardy_gauge.core.time.steps import Array, Times, finite, grid_of, means, step_of, sums
from hardy_gauge.queries.coverage import sampled
from hardy_gauge.queries.findings import FINDING
from hardy_gauge.queries.marks import changes_marked, findings_marked
from hardy_gauge.queries.reader import Reader
from hardy_gauge.queries.samples import read_samples
from hardy_gauge.queries.scope import server_named, servers_in
from hardy_gauge.queries.server_figures import figure_for
from hardy_gauge.queries.strip_neighbours import neighbours_of
from hardy_gauge.queries.tape import usual_of_sum
from hardy_gauge.store import segments
from hardy_gauge.store.finding_notes import stored_finding
from hardy_gauge.store.models import Server, Statement

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
    return Strips(
        strips_sentence(bands, span), span.iso(), grid.tolist(), step, bands, changes_marked(reader, servers, span), findings_marked(reader, servers, span),
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
    """Summed over the members, of a ratio their mean; None while a member is not recorded that is at other times."""
    parts = [_of_server(reader, BandKey("figure", one.name, key.name), one, span, grid, step) for one in owners]
    rows = np.array([values for _, _, (values, _, _) in parts])
    total = together(rows, figure_for(reader, owners[0], key.name, span).kind == "ratio")
    low = high = np.full(len(grid), np.nan)
    if key.name == "active_sessions":
        low, _, high = usual_of_sum(reader, owners)[0].at(grid + step // 2)
    return parts[0][0], parts[0][1], (total, low, high)


def _of_samples(
    reader: Reader, key: BandKey, server: Server, span: Span, grid: Times, step: int
) -> tuple[str, str, Values]:
    """Active sessions of a wait family or a service."""
    column = "wait_family" if key.kind == "family" else "service"
    samples = read_samples(reader, [server], span, [column]).filter(pl.col(column) == key.name)
    spent = samples.group_by("at_us").agg(time_spent(samples).alias("s")) if len(samples) else None
    looked = sampled(reader, [server], span)[server.id]
    seconds = np.array([overlap_s(Span(int(at), int(at) + step), looked) for at in grid])
    total = np.zeros(len(grid)) if spent is None else sums(spent["at_us"].to_numpy(), spent["s"].to_numpy(), grid, step)
    values = np.where(seconds >= LEAST_SEEN * step / SECOND_US, total / np.maximum(seconds, 1.0), np.nan)
    unknown = np.full(len(grid), np.nan)
    what = "working" if key.name == "processor" else key.name
    title = f"active sessions: {what}" if key.kind == "family" else f"active sessions of {key.name}"
    return title, "", (values, unknown, unknown)


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
