"""Write amplification: a table is written often, and each write changes many indexes that nobody reads."""

from __future__ import annotations

from collections.abc import Mapping

from hardy_gauge.core.diagnosis.building import Unasked, against_usual, changed, figure_of, remedy, warns
from hardy_gauge.core.diagnosis.fact import Fact
from hardy_gauge.core.diagnosis.finding import Finding, Grade, Subject
from hardy_gauge.core.diagnosis.rules.indexes.needless import WRITERS, built, newly_built
from hardy_gauge.core.evidence.evidence import Evidence, Source
from hardy_gauge.core.evidence.sources import IndexUse, TableUse

FEWEST = 3  # indexes without a lookup: one or two are found one by one
LONG_S, COUNTED_S = 86_400.0, 300.0  # in which work that comes all the time would have read them
WRITES_PER_S = 0.1
MANY_CHANGES_PER_S = 10.0  # of indexes that nobody reads
MORE_LOG = 1.3


class WriteAmplification(Unasked):
    """Indexes of a table that were not read once since they are counted, with the writes that they take."""

    cause = "write_amplification"
    needs: tuple[Source, ...] = ("tables",)

    def examine(self, evidence: Evidence) -> list[Finding]:
        assert isinstance(evidence.tables, Mapping)
        if evidence.role not in WRITERS:
            return []
        found = []
        for table in evidence.tables.values():
            idle = [one for one in table.indexes if self._unread(evidence, one, table)]
            if len(idle) >= FEWEST and (table.writes_per_s or 0.0) >= WRITES_PER_S:
                found.append(self._one(evidence, table, idle))
        return found

    def _unread(self, evidence: Evidence, index: IndexUse, table: TableUse) -> bool:
        """Counted for a day, or since it was built: what is read on a replica, or at another hour, is not counted here yet."""
        if (
            index.counted_since_us is None
            or index.lookups_counted != 0
            or index.unique
            or index.constraint
            or not index.valid
        ):
            return False
        counted_s = (evidence.focus.until_us - index.counted_since_us) / 1e6
        return counted_s >= LONG_S or (counted_s >= COUNTED_S and newly_built(evidence, index, table))

    def _one(self, evidence: Evidence, table: TableUse, idle: list[IndexUse]) -> Finding:
        writes = table.writes_per_s or 0.0
        log = figure_of(evidence, "log_bytes")
        facts = [
            Fact("indexes of the table", float(len(table.indexes)), "", "schema"),
            Fact("of them not read once", float(len(idle)), "", "index counters"),
            Fact(f"rows of {table.name} written", writes, "/s", "table counters"),
        ]
        if log is not None:
            facts.append(against_usual("log written", log, "B/s", "counters"))
        more_log = log is not None and log.ratio is not None and log.ratio > MORE_LOG
        grade: Grade = "plan" if more_log or writes * len(idle) >= MANY_CHANGES_PER_S else "note"
        names = [one.name for one in idle]
        remedies = [
            remedy(
                "index change", f"Drop the indexes that nobody reads, one at a time: {', '.join(names[:6])}",
                "A report at the end of the month or the year may be all that reads one: ask first.",
                script="\n".join(f"DROP INDEX {name};" for name in names),
                undo="\n".join(f"CREATE INDEX {one.name} ON {table.name} ({', '.join(one.columns)});" for one in idle),
            )
        ]  # fmt: skip
        title = f"Each write to {table.name} changes {len(idle)} indexes that nobody reads"
        youngest = max(idle, key=lambda one: one.counted_since_us or 0)
        return warns(
            self.cause,
            title,
            Subject("table", table.name, ", ".join(names)),
            grade,
            facts,
            remedies,
            0.8,
            signal=changed(evidence, youngest.name) or changed(evidence, table.name) or built(youngest),
        )
