"""The sources of evidence besides statements and samples, each read from the store or said to be unknown, with why."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any

import numpy as np
import polars as pl
from sqlalchemy import ColumnElement, select

from hardy_gauge.core.evidence import sources as e
from hardy_gauge.core.evidence.evidence import Unknown
from hardy_gauge.core.log.rules import taken_as
from hardy_gauge.core.reference.typical_day import Typical
from hardy_gauge.core.time.span import DAY_US, HOUR_US, Span
from hardy_gauge.probes.setting_map import setting_map
from hardy_gauge.queries.coverage import covered
from hardy_gauge.queries.holdups import holdups_of
from hardy_gauge.queries.log_messages import messages_in
from hardy_gauge.queries.objects import IndexOut, TableOut, objects_of
from hardy_gauge.queries.oldest_transaction import oldest_transaction
from hardy_gauge.queries.own_figures import OWN
from hardy_gauge.queries.plan_changes import plan_changes
from hardy_gauge.queries.reader import Reader
from hardy_gauge.queries.server_figures import figures_of, recorded_figures
from hardy_gauge.queries.volumes import volumes_of
from hardy_gauge.store import segments
from hardy_gauge.store.log_rules import log_rules
from hardy_gauge.store.models import Change, Server, Snapshot

GROWTH_US = 12 * HOUR_US  # over which the growth of a level is taken
SEQUENCE_US = 7 * DAY_US
BEFORE_US = HOUR_US
FEWEST = 5
MOST_SHAPES = 200  # of messages: a rule of somebody's may be about one that is seldom
AFTER_US = 600_000_000
OFF = ("off", "false", "no", "0")


def figures(reader: Reader, server: Server, focus: Span) -> Mapping[str, e.RecordedFigure] | Unknown:
    """Every counter and level of the server, with its usual value at this time."""
    if "counters" not in server.abilities:
        return Unknown("the server reports no counters")
    found = figures_of(reader, server, focus).figures
    if not found:
        return Unknown("no counters were recorded in this time")
    growth = _growth(reader, server, focus, [one.name for one in found if one.level])
    return {
        one.name: e.RecordedFigure(
            float(one.value or 0.0),
            Typical(one.centre, one.low, one.high, 1)
            if one.centre is not None and one.low is not None and one.high is not None
            else None,
            one.last,
            growth.get(one.name),
        )
        for one in found
    }


def _growth(reader: Reader, server: Server, focus: Span, names: Sequence[str]) -> dict[str, float]:
    """Of levels, how much each grew a day over the last half day: the median step between half-hours (Theil and Sen, by pairs that
    follow each other, which a fall at one moment does not move).
    """
    frame = reader.counters([server.id], Span(focus.until_us - GROWTH_US, focus.until_us), names)
    named = [name for name in names if name in frame.columns]
    if not named:
        return {}
    times, half_hours = frame["at_us"].to_numpy(), frame["at_us"].to_numpy() // (HOUR_US // 2)
    found = {}
    for name in named:
        values = frame[name].to_numpy().astype(float)  # null is NaN here
        known = np.flatnonzero(np.isfinite(values))
        last = known[np.flatnonzero(np.diff(half_hours[known], append=-1))] if len(known) else known
        if len(last) >= FEWEST:
            found[name] = float(np.median(np.diff(values[last]) / np.diff(times[last]) * DAY_US))
    return found


def waiting(reader: Reader, server: Server, focus: Span) -> Sequence[e.Waiting] | Unknown:
    """Who others waited for."""
    if "sessions" not in server.abilities:
        return Unknown("the server does not report sessions")
    return [
        e.Waiting(
            one.doing, one.fingerprint, one.text, one.user, one.service, one.waited_s, one.most_waiting, one.depth, one.session,
            one.idle_s, one.transaction_s, one.kinds,
        )
        for one in holdups_of(reader, server, focus)
    ]  # fmt: skip


def oldest(reader: Reader, server: Server, focus: Span) -> e.OldTransaction | None:
    """The transaction that was open longest, where sessions are reported and one was open for a minute."""
    one = oldest_transaction(reader, server, focus)
    return (
        None
        if one is None
        else e.OldTransaction(one.fingerprint, one.text, one.user, one.service, one.session, one.age_s)
    )


def messages(reader: Reader, server: Server, focus: Span) -> Sequence[e.Message] | Unknown:
    """As people take them: without those that they ignore."""
    if "messages" not in server.abilities:
        return Unknown("the server does not report its log")
    with reader.store.read() as session:
        rules = log_rules(session)
    found = []
    for one in messages_in(reader, [server], focus, most=MOST_SHAPES):
        takes, _ = taken_as(rules, one.severity, one.shape, one.code)
        if takes != "ignore":
            severity = "error" if takes == "finding" else takes
            found.append(
                e.Message(
                    severity, one.code, one.shape, one.count, one.first_us, one.fingerprint, one.detail, one.text, takes == "finding"
                )
            )  # fmt: skip
    return found


def watched(reader: Reader, server: Server, focus: Span) -> Sequence[e.WatchedValues]:
    """Figures of the user's own that have limits, by label; without values where none was recorded in the focus."""
    limited = [own for own in server.figures if own.get("least") is not None or own.get("most") is not None]
    recorded = recorded_figures(server, reader.counters([server.id], focus)) if limited else []
    found: list[e.WatchedValues] = []
    for own in limited:
        name, least, most = f"{OWN}{own['name']}", own.get("least"), own.get("most")
        figures = [one for one in recorded if one.name == name or one.name.startswith(f"{name}.")]
        for figure in figures:
            times, values = reader.minutes(server.id, figure, focus)
            found.append(
                e.WatchedValues(figure.name, figure.title, figure.unit, least, most, times.tolist(), values.tolist())
            )
        if not figures:
            title, unit = own.get("title") or own["name"], own.get("unit") or ""
            found.append(e.WatchedValues(name, title, unit, least, most, [], []))
    return found


def peers(reader: Reader, server: Server, others: Sequence[Server], focus: Span) -> Mapping[str, float] | Unknown:
    """Calls a second of each peer over the focus: of the ``others`` of its cluster, those with the same role."""
    others = [one for one in others if one.role == server.role]
    if not others:
        return Unknown("it has no peers")
    passed = covered(reader, others, focus, "counters")
    frame = reader.counters([one.id for one in others], focus, ["calls"])
    if frame.is_empty() or "calls" not in frame.columns:
        return Unknown("the calls of its peers were not recorded in this time")
    sums = dict(frame.group_by("server_id").agg(pl.col("calls").sum()).iter_rows())
    return {one.name: sums.get(one.id, 0.0) / passed[one.id] for one in others if passed.get(one.id)}


def settings(reader: Reader, server: Server, others: Sequence[Server]) -> Mapping[str, e.SettingFact] | Unknown:
    """Settings that concern the work, with those of the ``others`` of its cluster with the same role where they differ."""
    peers = [one for one in others if one.role == server.role]
    with reader.store.read() as session:
        rows = session.scalars(
            select(Snapshot).where(
                Snapshot.kind == "settings", Snapshot.server_id.in_([server.id, *(p.id for p in peers)])
            )
        )
        bodies: dict[int, dict[str, dict[str, Any]]] = {
            row.server_id: {one["name"]: one for one in row.body["settings"]} for row in rows
        }
    if server.id not in bodies:
        return Unknown("the server reports no settings")
    words = setting_map(server.engine)
    return {
        name: e.SettingFact(
            name, one["value"], one["default"], one["unit"], one["applies"],
            tuple(p.name for p in peers if name in bodies.get(p.id, {}) and bodies[p.id][name]["value"] != one["value"]),
            words.neutral(name),
        )
        for name, one in bodies[server.id].items()
        if one.get("concerns", "work") == "work"
    }  # fmt: skip


def tables_and_sequences(
    reader: Reader, server: Server, focus: Span
) -> tuple[Mapping[str, e.TableUse] | Unknown, Sequence[e.SequenceUse] | Unknown]:
    """What is counted of tables, indexes and sequences."""
    if "objects" not in server.abilities:
        none = Unknown("the server does not count the work on its tables")
        return none, none
    found = objects_of(reader, server, focus)
    growth = _sequence_growth(reader, server, focus)
    sequences = [
        e.SequenceUse(one.name, one.column, one.type, one.value, one.most, one.used, growth.get(one.name))
        for one in found.sequences
    ]
    option = setting_map(server.engine).option("upkeep_enabled")
    return {table.name: _table(table, option) for table in found.tables}, sequences


def _table(one: TableOut, upkeep_option: str) -> e.TableUse:
    option = one.options.get(upkeep_option, "")
    off = f"{upkeep_option} = {option}" if option.lower() in OFF else ""
    written = [one.inserts_per_s, one.updates_per_s, one.deletes_per_s]
    return e.TableUse(
        one.name, one.rows, one.heap_bytes, one.dead_rows, one.spare_bytes,
        None if None in written else float(sum(w or 0.0 for w in written)), one.upkeep_us, one.statistics_us, one.changed_since,
        one.transaction_age, one.options, tuple(map(_index, one.indexes)), off,
    )  # fmt: skip


def _index(one: IndexOut) -> e.IndexUse:
    return e.IndexUse(
        one.name, tuple(one.columns), one.unique, one.constraint, one.bytes, one.lookups_counted, one.counted_since_us,
        bool(one.predicate), one.valid,
    )  # fmt: skip


def _sequence_growth(reader: Reader, server: Server, focus: Span) -> dict[str, float]:
    """Share of its values that each sequence gives a day, over the last week or as far as it is known."""
    with reader.store.read() as session:
        frame = segments.read(session, [server.id], "sequence", focus.until_us - SEQUENCE_US, focus.until_us)
    if frame.is_empty():
        return {}
    ends = frame.sort("at_us").group_by("sequence").agg(
        pl.col("at_us").first().alias("t0"), pl.col("at_us").last().alias("t1"),
        pl.col("value").first().alias("v0"), pl.col("value").last().alias("v1"), (pl.col("most") - pl.col("least")).last().alias("room"),
    )  # fmt: skip
    return {
        row["sequence"]: (row["v1"] - row["v0"]) / row["room"] / ((row["t1"] - row["t0"]) / DAY_US)
        for row in ends.iter_rows(named=True)
        if row["t1"] > row["t0"] and row["room"] > 0
    }


def volumes(reader: Reader, server: Server, now_us: int) -> Sequence[e.VolumeFact] | Unknown:
    if not server.host.get("volumes"):
        return Unknown("the server does not report its volumes")
    return [
        e.VolumeFact(
            one.name, float(one.used_bytes), float(one.capacity_bytes), one.days_left, one.lately,
        )
        for one in volumes_of(reader, server, now_us)
    ]  # fmt: skip


def host(server: Server) -> e.HostFacts | Unknown:
    if not server.host:
        return Unknown("the server does not see its host")
    return e.HostFacts(server.host.get("cores"), server.host.get("memory_bytes"), server.host.get("settings") or {})


def changes(reader: Reader, server: Server, focus: Span) -> Sequence[e.ChangeFact]:
    """What changed in the focus or in the hour before it, the last first."""
    return _changes(reader, Change.server_id == server.id, focus)


def changes_beside(reader: Reader, others: Sequence[Server], focus: Span) -> Sequence[e.ChangeFact]:
    """Starts, stops and versions of the other servers of its cluster, over the same time."""
    theirs = Change.server_id.in_([one.id for one in others]) & (Change.kind == "software")
    return _changes(reader, theirs, focus) if others else []


def _changes(reader: Reader, whose: ColumnElement[bool], focus: Span) -> Sequence[e.ChangeFact]:
    with reader.store.read() as session:
        rows = session.scalars(
            select(Change)
            .where(whose, Change.at_us.between(focus.since_us - BEFORE_US, focus.until_us))
            .order_by(Change.at_us.desc())
        )
        return [e.ChangeFact(row.at_us, row.kind, row.title, row.object, row.before, row.after) for row in rows]


def no_answer(server: Server, focus: Span) -> e.NoAnswer | None:
    """Where the last look at the server failed, and it had answered before; None where it answered after the focus."""
    state = server.capture
    known = max(state.seen_us, state.recorded_until_us)
    return e.NoAnswer(known, state.error) if state.error and 0 < known <= focus.until_us else None


def clock_skew(server: Server, focus: Span) -> float | Unknown:
    """Seconds that its clock is ahead of ours, which is known of the last look only."""
    if server.capture.seen_us > focus.until_us + AFTER_US:
        return Unknown("how far its clock was off is known of the present only")
    return float(server.capture.clock_skew_s)


def silent_beside(others: Sequence[Server], focus: Span) -> list[str]:
    """Names of the other servers of its cluster that do not answer."""
    return [one.name for one in others if no_answer(one, focus) is not None]


def plan_turns(reader: Reader, server: Server, focus: Span) -> Sequence[e.PlanTurn] | Unknown:
    if "statements" not in server.abilities:
        return Unknown("the server does not count statements")
    return [
        e.PlanTurn(one.at_us, one.fingerprint, one.before, one.after, one.before_s, one.after_s)
        for one in plan_changes(reader, server, Span(focus.since_us - BEFORE_US, focus.until_us))
    ]
