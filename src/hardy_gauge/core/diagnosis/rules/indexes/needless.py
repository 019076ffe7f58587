"""Indexes that cost writes and give nothing: never read since they are counted, or the beginning of another one.

Quiet, or unsure, where the statistics are young; quiet where the index enforces something, or the server is a replica: what is read on another server is not
seen here. Common practice: look at every server of a cluster before an index goes.
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping

from hardy_gauge.core.diagnosis.building import Unasked, changed, remedy, warns
from hardy_gauge.core.diagnosis.fact import Fact
from hardy_gauge.core.diagnosis.finding import Finding, Impact, Signal, Subject
from hardy_gauge.core.evidence.evidence import Evidence, Source
from hardy_gauge.core.evidence.sources import IndexUse, TableUse
from hardy_gauge.core.indexes.needless import COUNTED_S, LEAST_BYTES, served_by
from hardy_gauge.core.remedies.remedy import Remedy

YOUNG_S, READ_MUCH = 300.0, 1000.0  # counted for so long, with so many lookups of another index of the table meanwhile
WRITERS = ("primary", "single", "member")


def _droppable(index: IndexUse) -> bool:
    return not index.enforces and index.valid


def _drop(index: IndexUse, table: TableUse) -> Remedy:
    return remedy(
        "index change", f"Drop index {index.name}", "A report at the end of the month or the year may be all that reads it: ask first.",
        script=f"DROP INDEX {index.name};", undo=f"CREATE INDEX {index.name} ON {table.name} ({', '.join(index.columns)});",
    )  # fmt: skip


def newly_built(evidence: Evidence, index: IndexUse, table: TableUse) -> bool:
    """Whether it came in the focus or the hour before: then its count is whole, however young."""
    changes = evidence.changes if isinstance(evidence.changes, list) else []
    return any(
        one.kind == "schema"
        and "index" in one.title
        and one.object in (index.name, table.name)
        and "drop" not in one.title
        for one in changes
    )


def built(index: IndexUse) -> Signal | None:
    return Signal("moment", at_us=index.counted_since_us) if index.counted_since_us is not None else None


class _Needless(Unasked):
    cause = ""
    needs: tuple[Source, ...] = ("tables",)

    def examine(self, evidence: Evidence) -> list[Finding]:
        assert isinstance(evidence.tables, Mapping)
        if evidence.role not in WRITERS:
            return []
        return [
            warns(
                self.cause, title, Subject("index", index.name), "note", self.facts(index, table, evidence.focus.until_us),
                [_drop(index, table)], self.confidence(index, evidence.focus.until_us), Impact(float(index.bytes or 0), float(index.bytes or 0), float(index.bytes or 0), "B"),
                changed(evidence, index.name) or changed(evidence, table.name) or built(index),
            )
            for table in evidence.tables.values()
            for index, title in self.found(evidence, table)
        ]  # fmt: skip

    def found(self, evidence: Evidence, table: TableUse) -> Iterator[tuple[IndexUse, str]]:
        raise NotImplementedError

    def confidence(self, index: IndexUse, now_us: int) -> float:
        return 0.8

    def facts(self, index: IndexUse, table: TableUse, now_us: int) -> list[Fact]:
        known = [Fact("size", float(index.bytes), "B", "index counters")] if index.bytes is not None else []
        if index.counted_since_us is not None and index.lookups_counted is not None:
            days = (now_us - index.counted_since_us) / 1e6
            known += [
                Fact("lookups", index.lookups_counted, "", "index counters"),
                Fact("counted for", days, "s", "index counters"),
            ]
        if table.writes_per_s is not None:
            known.append(Fact(f"rows of {table.name} written", table.writes_per_s, "/s", "table counters"))
        return known


class UnusedIndex(_Needless):
    """No lookup since it is counted: for a week at least, or since it was built while other indexes of its table are read all the time."""

    cause = "unused_index"

    def found(self, evidence: Evidence, table: TableUse) -> Iterator[tuple[IndexUse, str]]:
        now_us = evidence.focus.until_us
        read = max((one.lookups_counted or 0.0 for one in table.indexes), default=0.0)
        for index in table.indexes:
            since = index.counted_since_us
            if not _droppable(index) or index.lookups_counted != 0 or since is None or (index.bytes or 0) < LEAST_BYTES:
                continue
            counted_s = (now_us - since) / 1e6
            if counted_s >= COUNTED_S:
                yield index, f"Index {index.name} was not read in {counted_s / 86_400:.0f} days"
            elif counted_s >= YOUNG_S and read >= READ_MUCH and newly_built(evidence, index, table):
                yield (
                    index,
                    f"Index {index.name} was not read in {counted_s / 60:.0f} minutes, which is little to go by",
                )

    def confidence(self, index: IndexUse, now_us: int) -> float:
        since = index.counted_since_us
        return 0.8 if since is not None and (now_us - since) / 1e6 >= COUNTED_S else 0.4


class DuplicateIndex(_Needless):
    """Its columns are the first ones of another index, so that whatever it serves the other one serves too."""

    cause = "duplicate_index"

    def found(self, evidence: Evidence, table: TableUse) -> Iterator[tuple[IndexUse, str]]:
        for index in table.indexes:
            if not _droppable(index) or (index.bytes or 0) < LEAST_BYTES:
                continue
            other = served_by(index, table.indexes)
            if other is not None:
                yield index, f"Index {index.name} says what {other.name} says too"
