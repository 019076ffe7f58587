"""The ledger: where the time goes, by one or two dimensions, compared with the reference."""

from __future__ import annotations

from typing import Annotated, Any

import polars as pl
from fastapi import APIRouter, Query, Request
from pydantic import BaseModel
from sqlalchemy import select

from hardy_gauge.api.data import CurrentData, Data
from hardy_gauge.api.problems import Problem
from hardy_gauge.api.samples import moments, read_samples
from hardy_gauge.api.window import CurrentWindow, Window, servers_in
from hardy_gauge.core.activity.ledger import DIMENSIONS, Dimension, accounts, filtered, over_time, time_spent
from hardy_gauge.core.activity.wait_families import FAMILIES
from hardy_gauge.core.reference.words import share, times_reference
from hardy_gauge.store.models import Server, Statement

router = APIRouter(tags=["ledger"])
STEPS = 120


class Account(BaseModel):
    """Active sessions with a 95% interval; ``reference`` is None when nothing was recorded there."""

    key: str
    label: str
    active_sessions: float
    low: float
    high: float
    share: float
    samples: int
    reference: float | None
    difference: str


class Cell(BaseModel):
    row: str
    column: str
    active_sessions: float
    low: float
    high: float


class Stack(BaseModel):
    at_us: list[int]
    step_us: int
    series: dict[str, list[float]]
    reference: list[float] | None


class Ledger(BaseModel):
    sentence: str
    focus: str
    reference: str
    moments: int
    active_sessions: float
    by: Dimension
    against: Dimension
    accounts: list[Account]
    cells: list[Cell]
    labels: dict[str, str]
    stack: Stack
    filters: dict[str, list[str]]


def filters_of(request: Request) -> dict[str, list[str]]:
    """``filter.wait_family=data read`` … from the query; Problem when a dimension is unknown."""
    found: dict[str, list[str]] = {}
    for name, value in request.query_params.multi_items():
        if name.startswith("filter."):
            dimension = name.removeprefix("filter.")
            if dimension not in DIMENSIONS:
                detail = f"{name}: no such dimension; there are {', '.join(DIMENSIONS)}"
                raise Problem(422, "Unknown dimension", detail, name)
            found.setdefault(dimension, []).append(value)
    return found


def _typed(filters: dict[str, list[str]], data: Data) -> dict[str, list[Any]]:
    """Filters as they stand in the samples: statements by their id."""
    typed: dict[str, list[Any]] = dict(filters)
    if "statement" in filters:
        with data.store.read() as session:
            query = select(Statement.id).where(Statement.fingerprint.in_(filters["statement"]))
            typed["statement"] = list(session.scalars(query))
    return typed


def labelled(data: Data, frame: pl.DataFrame, dimension: str) -> tuple[pl.DataFrame, dict[str, str]]:
    """The column as text keys (statements by fingerprint), and what to call each key."""
    if dimension != "statement":
        frame = frame.with_columns(pl.col(dimension).cast(pl.String).fill_null("not known"))
        return frame, {key: key for key in frame[dimension].unique().to_list()}
    with data.store.read() as session:
        rows = session.execute(select(Statement.id, Statement.fingerprint, Statement.text)).all()
    keys = {row[0]: row[1] for row in rows}
    labels = {row[1]: row[2] for row in rows} | {"none": "no statement known"}
    table = pl.DataFrame(
        {"statement": list(keys), "key": list(keys.values())}, schema={"statement": pl.Int32, "key": pl.String}
    )
    frame = frame.with_columns(pl.col("statement").cast(pl.Int32)).join(table, on="statement", how="left")
    frame = frame.with_columns(pl.col("key").fill_null("none").alias("statement")).drop("key")
    used = set(frame["statement"].unique().to_list())
    return frame, {key: label for key, label in labels.items() if key in used}


@router.get("/ledger")
def ledger(
    request: Request,
    data: CurrentData,
    window: CurrentWindow,
    scope: str = "fleet",
    by: Annotated[Dimension, Query(description="dimension of the accounts")] = "wait_family",
    against: Annotated[Dimension, Query(description="second dimension, of the mosaic")] = "statement",
) -> Ledger:
    servers = servers_in(data, scope)
    if by == against:
        raise Problem(422, "One dimension twice", "against: choose another dimension than 'by'", "against")
    filters = filters_of(request)
    typed = _typed(filters, data)
    columns = list(dict.fromkeys([by, against, *typed]))
    samples = filtered(read_samples(data, servers, window.focus, columns), typed)
    samples, labels = labelled(data, samples, by)
    ticks = moments(data, servers, window.focus)
    rows = accounts(samples, [by], ticks)
    reference, reference_ticks = _reference(data, servers, window, by, typed)
    samples, more = labelled(data, samples, against)
    cells = accounts(samples, [by, against], ticks)
    found = [_account(row, by, labels, reference, reference_ticks) for row in rows.iter_rows(named=True)]
    total = sum(account.active_sessions for account in found)
    return Ledger(
        sentence=_sentence(scope, found, total, filters, window, sum(reference.values()) if reference_ticks else None),
        focus=window.focus.iso(), reference=window.reference.iso() if window.reference else "usual",
        moments=ticks, active_sessions=total, by=by, against=against, accounts=found,
        cells=[
            Cell(row=r[by], column=r[against], active_sessions=r["active_sessions"], low=r["low"], high=r["high"])
            for r in cells.iter_rows(named=True)
        ],
        labels=labels | more, stack=_stack(data, servers, window, samples, by, typed), filters=filters,
    )  # fmt: skip


def _reference(
    data: Data, servers: list[Server], window: Window, by: str, typed: dict[str, list[Any]]
) -> tuple[dict[str, float], int]:
    """Active sessions by account in the reference, and the moments it rests on."""
    sums: dict[str, float] = {}
    ticks = 0
    for span in window.reference_spans:
        looked = moments(data, servers, span)
        if not looked:
            continue
        ticks += looked
        frame = filtered(read_samples(data, servers, span, list(dict.fromkeys([by, *typed]))), typed)
        frame, _ = labelled(data, frame, by)
        for key, spent in frame.group_by(by).agg(time_spent(frame).alias("s")).iter_rows():
            sums[key] = sums.get(key, 0.0) + spent
    return {key: spent / max(ticks, 1) for key, spent in sums.items()}, ticks


def _account(row: dict[str, Any], by: str, labels: dict[str, str], reference: dict[str, float], ticks: int) -> Account:
    before = reference.get(row[by], 0.0) if ticks else None
    return Account(
        key=row[by], label=labels.get(row[by], row[by]), active_sessions=row["active_sessions"], low=row["low"],
        high=row["high"], share=row["share"], samples=row["samples"], reference=before,
        difference=times_reference(row["active_sessions"], before),
    )  # fmt: skip


def _stack(
    data: Data, servers: list[Server], window: Window, samples: pl.DataFrame, by: str, typed: dict[str, list[Any]]
) -> Stack:
    focus = window.focus
    step = max(10_000_000, (focus.until_us - focus.since_us) // STEPS // 10_000_000 * 10_000_000)
    since = focus.since_us // step * step
    grid = list(range(since, focus.until_us, step))
    frame = over_time(samples, by, since, focus.until_us, step)
    most = samples.group_by(by).agg(time_spent(samples).alias("s")).sort("s", descending=True)
    top = most[by].to_list()[:11]
    if by == "wait_family":
        top = [family for family in FAMILIES if family in set(top)]
    series: dict[str, list[float]] = {}
    for key in top:
        mine = dict(frame.filter(pl.col(by) == key).select("at_us", "active_sessions").iter_rows())
        series[key] = [mine.get(at, 0.0) for at in grid]
    outline: list[float] | None = None
    spans = window.reference_spans
    sums, used = [0.0] * len(grid), 0
    for span in spans:
        if moments(data, servers, span):
            used += 1
            earlier = filtered(read_samples(data, servers, span, list(dict.fromkeys([by, *typed]))), typed)
            offset = span.since_us - focus.since_us
            counted = (
                over_time(earlier, by, since + offset, span.until_us, step)
                .group_by("at_us")
                .agg(pl.col("active_sessions").sum())
            )
            at_of = dict(counted.iter_rows())
            sums = [value + at_of.get(at + offset, 0.0) for value, at in zip(sums, grid, strict=True)]
    if used:
        outline = [value / used for value in sums]
    return Stack(at_us=grid, step_us=step, series=series, reference=outline)


def _sentence(
    scope: str, found: list[Account], total: float, filters: dict[str, list[str]], window: Window, before: float | None
) -> str:
    if not found:
        return f"No session of {scope} was seen working or waiting in this window."
    top = found[0]
    compared = f", {times_reference(total, before)}" if before is not None else ""
    narrowed = " of what is left" if filters else ""
    text = top.label if len(top.label) < 60 else top.label[:57] + "…"
    return (
        f"{scope} had {total:.2f} active sessions on average{compared}; "
        f"{share(top.share)}{narrowed} is {text}, {top.difference}."
    )
