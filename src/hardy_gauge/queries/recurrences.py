"""Jobs that come back by the calendar, learnt from the minutes in which statements were called."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import replace
from functools import partial
from typing import cast
from zoneinfo import ZoneInfo, ZoneInfoNotFoundError

import polars as pl
from sqlalchemy import select

from hardy_gauge.core.narrative.recurrences import UNUSUAL, recurrences_sentence
from hardy_gauge.core.reference.recurrence_sheet import JobRow, Recurrences, at_its_time
from hardy_gauge.core.reference.recurrences import JobRun, recurrence_of, runs_of, state_of
from hardy_gauge.core.time.span import DAY_US, MINUTE_US, SECOND_US, Span
from hardy_gauge.errors import InvalidInput
from hardy_gauge.queries.coverage import first_recorded_us
from hardy_gauge.queries.reader import Reader
from hardy_gauge.queries.scope import servers_in
from hardy_gauge.queries.statements import texts_of
from hardy_gauge.store import segments
from hardy_gauge.store.models import NamedJob, Server

BACK_US = 400 * DAY_US
LEARNT_IN = "UTC"  # the zone in which jobs are learnt ahead
SELDOM = 0.2  # of the minutes at most: what runs more often is no job
LEAST_S = 5.0  # of time in a run on the median: less is not worth a name
PAUSE_US = 10 * MINUTE_US


def zone_of(name: str) -> ZoneInfo:
    """InvalidInput where there is no such time zone."""
    try:
        return ZoneInfo(name)
    except (ZoneInfoNotFoundError, ValueError, OSError) as error:
        raise InvalidInput(
            f"zone: {name!r} is no time zone; an example is Europe/Dublin", "zone", "Unknown time zone"
        ) from error


def recurrences(reader: Reader, scope: str, zone_name: str) -> Recurrences:
    """Of every server of the scope; learnt anew each hour."""
    servers = servers_in(reader, scope)
    jobs = jobs_of(reader, servers, zone_name)
    jobs.sort(key=lambda one: (one.dismissed, not one.odd, -one.length_s * one.active_sessions, one.server))
    now = reader.clock()
    begun = list(first_recorded_us(reader, servers).values())
    looked = (now - max(min(begun), now - BACK_US)) / DAY_US if begun else 0.0
    unknown = [f"{one.name} does not count its statements" for one in servers if "statements" not in one.abilities]
    return Recurrences(recurrences_sentence(scope, jobs, looked), zone_name, looked, jobs, unknown)


def jobs_of(reader: Reader, servers: Sequence[Server], zone_name: str) -> list[JobRow]:
    """Those of each server, with what people say of them; learnt anew each hour."""
    zone, said = zone_of(zone_name), _said(reader, servers)
    jobs: list[JobRow] = []
    for server in servers:
        learnt = reader.kept(("recurrences", server.id, zone_name), partial(_of_server, reader, server, zone))
        for one in learnt:
            name, dismissed = said.get((server.id, one.fingerprint), (one.name, one.dismissed))
            jobs.append(replace(one, name=name, dismissed=dismissed))
    return jobs


def job_on(reader: Reader, server: Server, focus: Span, shares: Mapping[str, float]) -> tuple[JobRow, bool] | None:
    """The known job that took the most of a focus, by statements' shares of its time, and whether it came at its usual time of day; of
    what was learnt already.
    """
    learnt = reader.known(("recurrences", server.id, LEARNT_IN))
    said = _said(reader, [server])
    jobs = [
        replace(one, name=said.get((server.id, one.fingerprint), ("", False))[0])
        for one in (cast(list[JobRow], learnt) if learnt else [])
        if shares.get(one.fingerprint, 0.0) > 0 and not said.get((server.id, one.fingerprint), ("", False))[1]
    ]
    if not jobs:
        return None
    job = max(jobs, key=lambda one: shares[one.fingerprint])
    return job, at_its_time(job, focus)


def _said(reader: Reader, servers: Sequence[Server]) -> dict[tuple[int, str], tuple[str, bool]]:
    """What people say of jobs, by server and fingerprint: name, and whether it is dismissed."""
    with reader.store.read() as session:
        mine = NamedJob.server_id.in_([server.id for server in servers])
        rows = session.scalars(select(NamedJob).where(mine))
        return {(row.server_id, row.fingerprint): (row.name, row.dismissed) for row in rows}


def _of_server(reader: Reader, server: Server, zone: ZoneInfo) -> list[JobRow]:
    now = reader.clock()
    first = first_recorded_us(reader, [server]).get(server.id)
    if first is None or now - first < 3 * DAY_US:
        return []
    span = Span(max(first, now - BACK_US), now)
    with reader.store.read() as session:
        frame = segments.read(
            session, [server.id], "statement", span.since_us, span.until_us,
            ["statement", "calls", "time_s", "service"], keep=False,
        )  # fmt: skip
    if frame.is_empty():
        return []
    frame = frame.filter(pl.col("calls") > 0)
    minutes = frame["at_us"].n_unique()
    work = (
        frame.group_by("statement", "at_us")
        .agg(pl.col("time_s").sum(), pl.col("service").drop_nulls().first())
        .sort("at_us")
    )
    seldom = work.group_by("statement").agg(pl.len().alias("n")).filter(pl.col("n") <= SELDOM * minutes)["statement"]
    texts = texts_of(reader)
    rows: list[JobRow] = []
    for (number,), mine in (
        work.filter(pl.col("statement").is_in(seldom.to_list())).partition_by("statement", as_dict=True).items()
    ):
        text = texts.get(int(number))
        row = None if text is None else _job(server, text.fingerprint, text.text, mine, span, zone)
        if row is not None:
            rows.append(row)
    return rows


def _job(server: Server, fingerprint: str, text: str, mine: pl.DataFrame, span: Span, zone: ZoneInfo) -> JobRow | None:
    runs: list[JobRun] = runs_of(mine["at_us"].to_list(), MINUTE_US, PAUSE_US)
    spent = mine["time_s"].sum() / max(len(runs), 1)
    if spent < LEAST_S:
        return None
    found = recurrence_of(runs, span.since_us, span.until_us, zone)
    if found is None:
        return None
    seconds, state = sum(run.seconds for run in runs), state_of(found, span.until_us, zone)
    return JobRow(
        server.name, fingerprint, text, str(mine["service"].drop_nulls().mode().first() or ""), found.words, found.clock, found.spread_min * 60,
        found.length_s, found.longest_s, float(mine["time_s"].sum()) / seconds, found.hits, [day.isoformat() for day in found.missed[-10:]],
        found.last.since_us, (found.last.until_us - found.last.since_us) / SECOND_US, state, state in UNUSUAL, found.next_us,
        "", False,
    )  # fmt: skip
