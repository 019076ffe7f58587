"""Indexes of many servers, each told once for all members of its cluster: which cost and give nothing, which are missing, which are too large.

An index is only never read where it is read on no member; a count that is young is said to be so. What enforces something is not
called needless. Common practice throughout.
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass
from typing import Literal

from hardy_gauge.core.indexes.needless import COUNTED_S, LEAST_BYTES, served_by
from hardy_gauge.core.narrative.index_words import across_sentence, judged_words, unknown_words, where_words
from hardy_gauge.core.sql.identifiers import quoted, quoted_path

Judged = Literal["never read", "not read so far", "rarely read", "duplicate", "contained in another", "bloated", "larger than the cache", "not valid", "missing for a foreign key"]  # fmt: skip
NEEDLESS = ("never read", "rarely read", "duplicate", "contained in another")
DAY_S = 86_400.0
RARELY_PER_DAY = 10.0
BLOATED, LEAST_SPARE = 2.0, 8 * 2**20


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
    where: str
    script: str
    undo: str


@dataclass(frozen=True)
class IndexesAcross:
    sentence: str
    indexes: int
    lines: list[IndexLine]
    unknown: list[str]


def across(
    indexes: Sequence[MemberIndex], foreign: Sequence[ForeignColumns], now_us: int, without_references: Sequence[str] = ()
) -> IndexesAcross:  # fmt: skip
    """``without_references`` are servers of which it is not known what refers to what."""
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
    told = {(one.cluster, one.table, one.index): one for one in lines if one.index}
    needless = {(one.cluster, one.table, one.index): one.bytes or 0.0 for one in lines if one.judged in NEEDLESS}
    uncounted = sum(any(one.lookups is None for one in members) for members in groups.values())
    sentence = across_sentence(
        len(groups), len(needless), sum(needless.values()), sum(not one.index for one in lines), len(told.keys() - needless.keys()), uncounted
    )  # fmt: skip
    return IndexesAcross(sentence, len(groups), lines, _unknown(indexes, without_references))


def _unknown(indexes: Sequence[MemberIndex], without_references: Sequence[str]) -> list[str]:
    """What could not be judged, and of which servers."""
    silent = {
        "what is read of indexes": {one.server for one in indexes if one.lookups is None},
        "how much room indexes need": {one.server for one in indexes if one.needed_bytes is None},
        "whether indexes are larger than the cache": {one.server for one in indexes if one.cache_bytes is None},
        "which foreign keys there are": set(without_references),
    }
    return [unknown_words(what, sorted(names)) for what, names in silent.items() if names]


def _judged(members: Sequence[MemberIndex], beside: Sequence[MemberIndex], now_us: int) -> Iterator[IndexLine]:
    first = members[0]
    size = sum(one.bytes or 0.0 for one in members)
    if not all(one.valid for one in members):
        yield _line(members, "not valid", now_us)
    if size >= LEAST_BYTES and not first.enforces:
        read = _read(members, now_us)
        if read is not None:
            yield _line(members, read, now_us)
        other = served_by(first, beside)
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
    reads, writes = per_day(members, now_us) or 0.0, [one.writes_per_s for one in members]
    written = None if None in writes else DAY_S * sum(one or 0.0 for one in writes)
    if counted_s >= COUNTED_S and reads < RARELY_PER_DAY and written is not None and reads < written:
        return "rarely read"
    return None


def per_day(members: Sequence[MemberIndex], now_us: int) -> float | None:
    """Lookups a day on all members; None where one of them does not tell."""
    if any(one.lookups is None or one.counted_since_us is None for one in members):
        return None
    return sum(
        (one.lookups or 0.0) / max((now_us - (one.counted_since_us or 0)) / 1e6 / DAY_S, 1 / 24) for one in members
    )


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
    goes = (
        judged in NEEDLESS and not first.partial
    )  # of which rows it is is not known here, so it could not be built again
    why = judged_words(judged, len(members), (now_us - known_us) / 1e6 if known_us else None, rate, other, size, needed)
    return IndexLine(
        first.cluster, first.server, first.table, first.name, list(first.columns), judged, why, size or None, rate, known_us, len(members), where_words(first.cluster, len(members), first.server, first.columns),
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
            judged_words("missing for a foreign key", 0, None, None, one.parent, 0.0, 0.0), None, None, None, 0, where_words(one.cluster, 0, one.server, one.columns),
            f"CREATE INDEX CONCURRENTLY {quoted(name)} ON {quoted_path(one.table)} ({', '.join(one.columns)});", f"DROP INDEX CONCURRENTLY {quoted(name)};",
        )  # fmt: skip
