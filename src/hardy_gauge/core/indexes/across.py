"""Indexes of many servers, each told once for all members of its cluster: which cost and give nothing, which are missing, which are too large.

An index is only never read where it is read on no member; a count that is young is said to be so. What enforces something is not
called needless. Common practice throughout.
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass
from typing import Literal

from hardy_gauge.core.narrative.index_words import across_sentence, judged_words
from hardy_gauge.core.sql.identifiers import quoted, quoted_path

Judged = Literal["never read", "not read so far", "rarely read", "duplicate", "contained in another", "bloated", "larger than the cache", "not valid", "missing for a foreign key"]  # fmt: skip
NEEDLESS = ("never read", "rarely read", "duplicate", "contained in another")
DAY_S = 86_400.0
COUNTED_S = 7 * DAY_S  # a week has every rhythm but the month's end
RARELY_PER_DAY = 10.0
BLOATED, LEAST_SPARE = 2.0, 8 * 2**20
LEAST_BYTES = 2**20  # smaller ones cost next to nothing


@dataclass(frozen=True)
class MemberIndex:
    """An index as one server has it; None where it is not reported. ``cache_bytes`` is what the server's cache holds."""

    server: str
    cluster: str
    table: str
    name: str
    columns: tuple[str, ...]
    enforces: bool
    partial: bool
    valid: bool
    bytes: float | None
    needed_bytes: float | None
    lookups: float | None
    counted_since_us: int | None
    writes_per_s: float | None
    cache_bytes: float | None


@dataclass(frozen=True)
class ForeignColumns:
    """Columns of a table that refer to another one."""

    server: str
    cluster: str
    table: str
    columns: tuple[str, ...]
    parent: str


@dataclass(frozen=True)
class IndexLine:
    """One index of a cluster, or one that is missing (``index`` empty). ``bytes`` of all members; ``since_us`` from when on all of them
    are counted; ``server`` is one that has it.
    """

    cluster: str
    server: str
    table: str
    index: str
    columns: list[str]
    judged: Judged
    why: str
    bytes: float | None
    lookups_per_day: float | None
    since_us: int | None
    members: int
    script: str
    undo: str


@dataclass(frozen=True)
class IndexesAcross:
    sentence: str
    indexes: int
    lines: list[IndexLine]
    unknown: list[str]


def across(
    indexes: Sequence[MemberIndex], foreign: Sequence[ForeignColumns], now_us: int, silent: Sequence[str]
) -> IndexesAcross:
    """``silent`` are servers that do not report what is read of their indexes."""
    groups: dict[tuple[str, str, str], list[MemberIndex]] = {}
    for one in indexes:
        groups.setdefault((one.cluster, one.table, one.name), []).append(one)
    by_table: dict[tuple[str, str], list[MemberIndex]] = {}
    for (cluster, table, _), members in groups.items():
        by_table.setdefault((cluster, table), []).append(members[0])
    lines = [
        line
        for members in groups.values()
        for line in _judged(members, by_table[members[0].cluster, members[0].table], now_us)
    ]
    lines += _missing(foreign, by_table)
    lines.sort(key=lambda one: (-(one.bytes or 0.0), one.cluster, one.table, one.index))
    unknown = [f"what is read of the indexes of {name}" for name in silent]
    told = {(one.cluster, one.table, one.index): one for one in lines if one.index}
    needless = {(one.cluster, one.table, one.index): one.bytes or 0.0 for one in lines if one.judged in NEEDLESS}
    missing = sum(not one.index for one in lines)
    sentence = across_sentence(
        len(groups), len(needless), sum(needless.values()), missing, len(told.keys() - needless.keys())
    )
    return IndexesAcross(sentence, len(groups), lines, unknown)


def _judged(members: Sequence[MemberIndex], beside: Sequence[MemberIndex], now_us: int) -> Iterator[IndexLine]:
    first = members[0]
    size = sum(one.bytes or 0.0 for one in members)
    if not all(one.valid for one in members):
        yield _line(members, "not valid", now_us)
    if size >= LEAST_BYTES and not first.enforces:
        read = _read(members, now_us)
        if read is not None:
            yield _line(members, read, now_us)
        other = _like(first, beside)
        if other is not None:
            kind: Judged = "duplicate" if other.columns == first.columns else "contained in another"
            yield _line(members, kind, now_us, other.name)
    spare = sum((one.bytes or 0.0) - one.needed_bytes for one in members if one.needed_bytes is not None)
    needed = sum(one.needed_bytes for one in members if one.needed_bytes is not None)
    if needed and spare >= LEAST_SPARE and spare >= (BLOATED - 1) * needed:
        yield _line(members, "bloated", now_us)
    if any(one.bytes is not None and one.cache_bytes is not None and one.bytes > one.cache_bytes for one in members):
        yield _line(members, "larger than the cache", now_us)


def _read(members: Sequence[MemberIndex], now_us: int) -> Judged | None:
    """None where it is read, or where it is not known on some member."""
    if any(one.lookups is None or one.counted_since_us is None for one in members):
        return None
    counted_s = min((now_us - (one.counted_since_us or 0)) / 1e6 for one in members)
    if all(one.lookups == 0 for one in members):
        return "never read" if counted_s >= COUNTED_S else "not read so far"
    if counted_s >= COUNTED_S and (per_day(members, now_us) or 0.0) < RARELY_PER_DAY:
        return "rarely read"
    return None


def per_day(members: Sequence[MemberIndex], now_us: int) -> float | None:
    """Lookups a day on all members; None where one of them does not tell."""
    if any(one.lookups is None or one.counted_since_us is None for one in members):
        return None
    return sum(
        (one.lookups or 0.0) / max((now_us - (one.counted_since_us or 0)) / 1e6 / DAY_S, 1 / 24) for one in members
    )


def _like(index: MemberIndex, beside: Sequence[MemberIndex]) -> MemberIndex | None:
    """Another index of the table that serves whatever this one serves; of two alike the later name goes."""
    if index.partial:
        return None
    for other in beside:
        if (
            other.name == index.name
            or other.partial
            or not other.valid
            or other.columns[: len(index.columns)] != index.columns
        ):
            continue
        if len(other.columns) > len(index.columns) or other.enforces or other.name < index.name:
            return other
    return None


def _line(members: Sequence[MemberIndex], judged: Judged, now_us: int, other: str = "") -> IndexLine:
    first = members[0]
    size = sum(one.bytes or 0.0 for one in members)
    needed = sum(one.needed_bytes or 0.0 for one in members)
    since = [one.counted_since_us for one in members if one.counted_since_us is not None]
    rate = per_day(members, now_us)
    known_us = max(since) if len(since) == len(members) and since else None
    path = (
        quoted(first.name)
        if "." not in first.table
        else f"{quoted(first.table.partition('.')[0])}.{quoted(first.name)}"
    )
    goes = judged in NEEDLESS
    why = judged_words(judged, len(members), (now_us - known_us) / 1e6 if known_us else None, rate, other, size, needed)
    return IndexLine(
        first.cluster, first.server, first.table, first.name, list(first.columns), judged, why, size or None, rate, known_us, len(members),
        f"DROP INDEX {path};" if goes else f"REINDEX INDEX {path};" if judged in ("bloated", "not valid") else "",
        f"CREATE INDEX {quoted(first.name)} ON {quoted_path(first.table)} ({', '.join(first.columns)});" if goes else "",
    )  # fmt: skip


def _missing(
    foreign: Sequence[ForeignColumns], by_table: Mapping[tuple[str, str], Sequence[MemberIndex]]
) -> Iterator[IndexLine]:
    seen = set[tuple[str, str, tuple[str, ...]]]()
    for one in foreign:
        key = one.cluster, one.table, one.columns
        served = any(
            set(index.columns[: len(one.columns)]) == set(one.columns) and not index.partial and index.valid
            for index in by_table.get(key[:2], [])
        )
        if key in seen or served:
            continue
        seen.add(key)
        name = "_".join((one.table.rpartition(".")[2], *one.columns))[:63]
        yield IndexLine(
            one.cluster, one.server, one.table, "", list(one.columns), "missing for a foreign key",
            judged_words("missing for a foreign key", 0, None, None, one.parent, 0.0, 0.0), None, None, None, 0,
            f"CREATE INDEX {quoted(name)} ON {quoted_path(one.table)} ({', '.join(one.columns)});", f"DROP INDEX {quoted(name)};",
        )  # fmt: skip
