"""Stale statistics: most rows of a table came or changed since the planner's statistics of it were gathered."""

from __future__ import annotations

from collections.abc import Mapping

from hardy_gauge.core.diagnosis.building import Unasked, costs, remedy, warns
from hardy_gauge.core.diagnosis.fact import Fact
from hardy_gauge.core.diagnosis.finding import Finding, Subject
from hardy_gauge.core.evidence.evidence import Evidence, Samples, Source, StatementWork
from hardy_gauge.core.evidence.sources import TableUse
from hardy_gauge.core.plans.model import Step

CHANGED = 0.5
LEAST_ROWS = 1000.0
OFF = 10.0
SLOWER = 1.5


class StaleStatistics(Unasked):
    """With a statement that suffers, where its plan expects a tenth or ten times of what it meets; noted otherwise."""

    cause = "stale_statistics"
    needs: tuple[Source, ...] = ("tables",)

    def examine(self, evidence: Evidence) -> list[Finding]:
        assert isinstance(evidence.tables, Mapping)
        return [
            self._one(evidence, table)
            for table in evidence.tables.values()
            if table.changed_since is not None
            and table.rows >= LEAST_ROWS
            and table.changed_since > CHANGED * table.rows
        ]

    def _one(self, evidence: Evidence, table: TableUse) -> Finding:
        facts = [
            Fact(
                f"rows of {table.name} changed since", table.changed_since or 0.0, "rows", "table counters", table.rows
            ),
        ]
        if table.statistics_us is not None:
            facts.append(
                Fact(
                    "statistics gathered", (evidence.focus.until_us - table.statistics_us) / 1e6, "s", "table counters"
                )
            )
        remedies = [
            remedy("upkeep", f"Gather the statistics of {table.name} now, and after each load", "It reads a part of the table.",
                   script=f"ANALYZE {table.name};"),
        ]  # fmt: skip
        title = f"Most of {table.name} came since its statistics were gathered"
        suffering = self._suffering(evidence, table)
        if suffering is None or not isinstance(evidence.samples, Samples):
            return warns(self.cause, title, Subject("table", table.name), "note", facts, remedies, 0.85)
        work, step = suffering
        facts.append(
            Fact("rows met ÷ rows expected", (step.rows_seen or 0.0) / max(step.rows_expected, 1.0), "", "plan")
        )
        return costs(
            evidence, self.cause, f"{title}: plans are made for other numbers", Subject("statement", work.fingerprint, work.text),
            evidence.samples.by_statement[work.fingerprint], facts, remedies, 0.85,
        )  # fmt: skip

    def _suffering(self, evidence: Evidence, table: TableUse) -> tuple[StatementWork, Step] | None:
        """The heaviest statement whose plan is far off on the table, and which is slower than on days like this."""
        if not isinstance(evidence.statements, Mapping) or not isinstance(evidence.samples, Samples):
            return None
        spent = evidence.samples.by_statement
        for work in sorted(evidence.statements.values(), key=lambda w: -w.time_s):
            if work.plan is None or work.fingerprint not in spent or not work.calls:
                continue
            typical = work.typical_time_per_call_s
            if typical is not None and work.time_s / work.calls < SLOWER * typical.value:
                continue
            for _, step in work.plan.root.walk():
                if step.object == table.name and step.rows_seen is not None and _off(step) > OFF:
                    return work, step
        return None


def _off(step: Step) -> float:
    met, expected = max(step.rows_seen or 0.0, 1.0), max(step.rows_expected, 1.0)
    return max(met / expected, expected / met)
