"""What the logs of a scope said in a window, by shape of the message, as people take it."""

from __future__ import annotations

from collections.abc import Sequence

import polars as pl

from hardy_gauge.core.log.rules import SEVERITIES, LogRule, taken_as
from hardy_gauge.core.log.sheet import LogSheet, Shape
from hardy_gauge.core.narrative.log import log_sentence
from hardy_gauge.core.time.span import MINUTE_US, Span
from hardy_gauge.core.time.steps import grid_of, step_of
from hardy_gauge.queries.log_messages import SHAPE, by_shape
from hardy_gauge.queries.reader import Reader
from hardy_gauge.queries.scope import servers_in
from hardy_gauge.queries.statements import texts_of
from hardy_gauge.store import segments
from hardy_gauge.store.log_rules import log_rules
from hardy_gauge.store.models import Server

POINTS, MOST = 60, 200


def log_sheet(reader: Reader, span: Span, scope: str, severities: Sequence[str] = (), search: str = "") -> LogSheet:
    """``severities``: only of these, as people take them; ``search``: all its words in the message, its code, services or users."""
    servers = servers_in(reader, scope)
    able = [one for one in servers if "messages" in one.abilities]
    step = step_of(span, POINTS)
    grid = grid_of(span, step)
    with reader.store.read() as session:
        rules = log_rules(session)
        since = span.since_us // MINUTE_US * MINUTE_US  # a row stands at the beginning of its minute
        frame = segments.read(session, [one.id for one in able], "message", since, span.until_us)
    found = [] if frame.is_empty() else _shapes(reader, servers, frame, rules, int(grid[0]), step, len(grid))
    ignored = sum(one.count for one in found if one.severity == "ignore")
    shown = [one for one in found if one.severity != "ignore" and _holds(one, search)]
    counts: dict[str, int] = {name: sum(one.count for one in shown if one.severity == name) for name in SEVERITIES}
    wanted = [one for one in shown if not severities or one.severity in severities]
    wanted.sort(key=lambda one: ([*SEVERITIES].index(one.severity), -one.count, one.shape))  # type: ignore[arg-type]
    return LogSheet(
        log_sentence(scope, wanted, counts, bool(able), bool(search or severities)), span.iso(), grid.tolist(), step, wanted[:MOST], counts,
        ignored, max(0, len(wanted) - MOST), rules, [f"{one.name} does not report its log" for one in servers if one not in able],
    )  # fmt: skip


def _holds(one: Shape, search: str) -> bool:
    text = " ".join([one.shape, one.code, one.text, *one.services, *one.users, *one.servers]).lower()
    return all(word in text for word in search.lower().split())


def _shapes(
    reader: Reader, servers: Sequence[Server], frame: pl.DataFrame, rules: Sequence[LogRule], since_us: int, step_us: int, steps: int
) -> list[Shape]:  # fmt: skip
    names = {one.id: one.name for one in servers}
    places = frame.with_columns(((pl.col("at_us") - since_us) // step_us).clip(0, steps - 1).alias("place"))
    by_step: dict[tuple[str, str, str], list[int]] = {}
    for severity, code, shape, place, count in (
        places.group_by(*SHAPE, "place").agg(pl.col("count").sum()).select(*SHAPE, "place", "count").iter_rows()
    ):
        by_step.setdefault((severity, code, shape), [0] * steps)[place] += count
    texts = texts_of(reader)
    found = []
    for row in by_shape(frame).iter_rows(named=True):
        takes, rule = taken_as(rules, row["severity"], row["shape"], row["code"])
        ran = texts.get(row["statement"] if row["statement"] is not None else -1)
        found.append(
            Shape(
                "error" if takes == "finding" else takes, row["severity"], row["code"], row["shape"], row["count"], row["first_us"], row["last_us"],
                by_step[row["severity"], row["code"], row["shape"]], [names[i] for i in row["server_ids"]], row["services"], row["users"],
                ran.fingerprint if ran else "", ran.text if ran else "", row["detail"] or "", rule.id if rule else None,
            )
        )  # fmt: skip
    return found
