"""Jobs that sessions were seen to work on: backups, statistics and the like, which statement counters count only when they end."""

from __future__ import annotations

import re
from collections.abc import Mapping

import polars as pl

from hardy_gauge.core.evidence.evidence import Unknown
from hardy_gauge.core.evidence.sources import RunningJob
from hardy_gauge.core.time.coverage import seconds
from hardy_gauge.core.time.span import DAY_US, HOUR_US, MINUTE_US, Span
from hardy_gauge.queries.coverage import sampled
from hardy_gauge.queries.reader import Reader
from hardy_gauge.queries.samples import read_samples
from hardy_gauge.store.models import Server, Statement

# the engines' words for what is done for a database rather than asked of it
JOB = re.compile(
    r"\s*(copy|backup|base_backup|dump|analyze|update\s+statistics|gather|vacuum|reindex)\b", re.IGNORECASE
)
BACK_US, PAUSE_US = 6 * HOUR_US, 10 * MINUTE_US
DAYS_BEFORE, AROUND_US = 7, HOUR_US


def jobs_of(reader: Reader, server: Server, focus: Span, texts: Mapping[int, Statement]) -> list[RunningJob] | Unknown:
    """Jobs in the focus; Unknown where sessions are not reported or were not looked at."""
    if "sessions" not in server.abilities:
        return Unknown("the server does not report sessions")
    looked = seconds(sampled(reader, [server], focus)[server.id])
    if not looked:
        return Unknown("sessions were not looked at in this time")
    numbers = [number for number, one in texts.items() if JOB.match(one.text)]
    if not numbers:
        return []
    frame = read_samples(
        reader, [server], Span(focus.until_us - BACK_US, focus.until_us), ["statement", "user", "service"]
    )
    mine = frame.filter(pl.col("statement").is_in(numbers)).sort("at_us")
    if mine.is_empty():
        return []
    found = []
    for (number,), rows in mine.partition_by("statement", as_dict=True).items():
        now = rows.filter(pl.col("at_us") >= focus.since_us)
        if now.is_empty():
            continue
        paused = rows.filter(pl.col("at_us").diff() > PAUSE_US)
        began = int(paused["at_us"][-1] if len(paused) else rows["at_us"][0])
        weight = float(now["weight"].sum()) if "weight" in now.columns else float(len(now))
        one = texts[int(number)]
        found.append(
            RunningJob(
                one.fingerprint, one.text, now["user"][0] or "", now["service"][0] or "", weight / looked, began,
                _usual(reader, server, int(number), focus),
            )
        )  # fmt: skip
    return found


def _usual(reader: Reader, server: Server, number: int, focus: Span) -> bool:
    """Whether the job was seen around this time on one of the days before."""
    for day in range(1, DAYS_BEFORE + 1):
        then = Span(focus.since_us - day * DAY_US - AROUND_US, focus.until_us - day * DAY_US + AROUND_US)
        if not read_samples(reader, [server], then, ["statement"]).filter(pl.col("statement") == number).is_empty():
            return True
    return False
