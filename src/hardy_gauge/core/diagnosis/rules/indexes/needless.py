"""Indexes that cost writes and give nothing: never read since they are counted, or the beginning of another one.

Quiet where the statistics are young, the index enforces something, or the server is a replica: what is read on another server is not
seen here. Common practice: look at every server of a cluster before an index goes.
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping

from hardy_gauge.core.diagnosis.building import Unasked, changed, remedy, warns
from hardy_gauge.core.diagnosis.fact import Fact
from hardy_gauge.core.diagnosis.finding import Finding, Impact, Signal, Subject
from hardy_gauge.core.evidence.evidence import Evidence, Source
from hardy_gauge.core.evidence.sources import IndexUse, TableUse
from hardy_gauge.core.remedies.remedy import Remedy

COUNTED_S = 7 * 86_400.0  # a week has every rhythm but the month's end
LEAST_BYTES = 2**20
WRITERS = ("primary", "single", "member")


def _droppable(index: IndexUse) -> bool:
    return not index.unique and not index.constraint and index.valid


def _drop(index: IndexUse, table: TableUse) -> Remedy:
    return remedy(
        "index change", f"Drop index {index.name}", "A report at the end of the month or the year may be all that reads it: ask first.",
        script=f"DROP INDEX {index.name};", undo=f"CREATE INDEX {index.name} ON {table.name} ({', '.join(index.columns)});",
    )  # fmt: skip


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
                [_drop(index, table)], 0.8, Impact(float(index.bytes or 0), float(index.bytes or 0), float(index.bytes or 0), "B"),
                changed(evidence, index.name) or changed(evidence, table.name) or built(index),
            )
            for table in evidence.tables.values()
            for index, title in self.found(table, evidence.focus.until_us)
        ]  # fmt: skip

    def found(self, table: TableUse, now_us: int) -> Iterator[tuple[IndexUse, str]]:
        raise NotImplementedError

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
    """No lookup since it is counted, for a week at least."""

    cause = "unused_index"

    def found(self, table: TableUse, now_us: int) -> Iterator[tuple[IndexUse, str]]:
        for index in table.indexes:
            since = index.counted_since_us
            if (
                not _droppable(index)
                or index.lookups_counted != 0
                or since is None
                or (now_us - since) / 1e6 < COUNTED_S
            ):
                continue
            if (index.bytes or 0) >= LEAST_BYTES:
                yield index, f"Index {index.name} was not read in {(now_us - since) / 8.64e10:.0f} days"


class DuplicateIndex(_Needless):
    """Its columns are the first ones of another index, so that whatever it serves the other one serves too."""

    cause = "duplicate_index"

    def found(self, table: TableUse, now_us: int) -> Iterator[tuple[IndexUse, str]]:
        for index in table.indexes:
            if not _droppable(index) or index.partial or (index.bytes or 0) < LEAST_BYTES:
                continue
            for other in table.indexes:
                begins = other.columns[: len(index.columns)] == index.columns and not other.partial and other.valid
                # of two alike the later name goes
                longer = len(other.columns) > len(index.columns) or other.name < index.name or not _droppable(other)
                if other.name != index.name and begins and longer:
                    yield index, f"Index {index.name} says what {other.name} says too"
                    break
