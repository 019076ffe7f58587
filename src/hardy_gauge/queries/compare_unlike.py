"""What is not the same on two sides: settings, schema, plans, hosts."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any

import polars as pl
from sqlalchemy import select

from hardy_gauge.core.compare.sheet import Unlike
from hardy_gauge.core.evidence.schema_changes import schema_changes
from hardy_gauge.core.narrative.changes import value_words
from hardy_gauge.queries.compare_sides import OneSide
from hardy_gauge.queries.reader import Reader
from hardy_gauge.queries.statements import read_intervals, texts_of
from hardy_gauge.store.models import Change, Snapshot


def unlike_of(reader: Reader, sides: Sequence[OneSide]) -> list[Unlike]:
    """Everything that is known not to be the same, left and right."""
    return [
        *settings_unlike(reader, sides), *schema_unlike(reader, sides), *plans_unlike(reader, sides), *hosts_unlike(sides)
    ]  # fmt: skip


def _bodies(reader: Reader, sides: Sequence[OneSide], kind: str) -> list[Mapping[str, Any] | None]:
    """The latest snapshot of each side's only server; None where it has several, or none is stored."""
    found: list[Mapping[str, Any] | None] = []
    with reader.store.read() as session:
        for side in sides:
            row = session.get(Snapshot, (side.servers[0].id, kind)) if len(side.servers) == 1 else None
            found.append(row.body if row is not None else None)
    return found


def settings_unlike(reader: Reader, sides: Sequence[OneSide]) -> list[Unlike]:
    """Between two servers what is set otherwise now; between two windows what was set between their ends."""
    if sides[0].scope == sides[1].scope:
        return _changed(reader, sides)
    bodies = _bodies(reader, sides, "settings")
    if any(body is None for body in bodies):
        return []
    left, right = ({s["name"]: s for s in body["settings"]} for body in bodies if body is not None)
    return [
        Unlike("setting", name, *(value_words(one[name]["value"], one[name]["unit"]) for one in (left, right)))
        for name in sorted(left.keys() & right.keys())
        if left[name]["value"] != right[name]["value"] and left[name].get("concerns", "work") == "work"
    ]


def _changed(reader: Reader, sides: Sequence[OneSide]) -> list[Unlike]:
    """Settings and schema that changed from the end of the earlier window to that of the later one."""
    ends = sorted(side.span.until_us for side in sides)
    turned = sides[0].span.until_us > sides[1].span.until_us
    with reader.store.read() as session:
        rows = session.scalars(
            select(Change)
            .where(
                Change.server_id.in_([one.id for one in sides[0].servers]), Change.kind.in_(("setting", "schema")),
                Change.at_us >= ends[0], Change.at_us < ends[1],
            )
            .order_by(Change.at_us)
        ).all()  # fmt: skip
    return [
        Unlike(
            "setting" if row.kind == "setting" else "schema", row.title, *((row.after, row.before) if turned else (row.before, row.after))
        )
        for row in rows
    ]  # fmt: skip


def schema_unlike(reader: Reader, sides: Sequence[OneSide]) -> list[Unlike]:
    if sides[0].scope == sides[1].scope:
        return []
    left, right = _bodies(reader, sides, "schema")
    if left is None or right is None:
        return []
    return [Unlike("schema", one.object, one.before, one.after) for one in schema_changes(left, right)]


def plans_unlike(reader: Reader, sides: Sequence[OneSide]) -> list[Unlike]:
    """Statements that mostly ran by another plan."""
    most: list[dict[int, str]] = []
    for side in sides:
        frame = read_intervals(reader, side.servers, side.span)
        if frame.is_empty() or "plan_key" not in frame.columns:
            return []
        rows = (
            frame.filter(pl.col("plan_key").is_not_null()).group_by("statement", "plan_key").agg(pl.col("calls").sum())
        )
        rows = rows.sort("calls", "plan_key").group_by("statement", maintain_order=True).last()
        most.append({row["statement"]: row["plan_key"] for row in rows.iter_rows(named=True)})
    texts = texts_of(reader)
    return [
        Unlike("plan", texts[number].text, most[0][number], most[1][number], texts[number].fingerprint)
        for number in sorted(most[0].keys() & most[1].keys())
        if most[0][number] != most[1][number] and number in texts
    ]


def hosts_unlike(sides: Sequence[OneSide]) -> list[Unlike]:
    """What two servers' hosts are made of, where it is not the same."""
    if any(len(side.servers) != 1 for side in sides) or sides[0].scope == sides[1].scope:
        return []
    left, right = (side.servers[0] for side in sides)
    found = [
        Unlike("host", name, str(left.host.get(name)), str(right.host.get(name)))
        for name in ("cores", "memory_bytes")
        if left.host.get(name) != right.host.get(name)
    ]
    if left.engine_version != right.engine_version or left.engine != right.engine:
        found.append(
            Unlike("host", "software", f"{left.engine} {left.engine_version}", f"{right.engine} {right.engine_version}")
        )
    return found
