"""Missing index: far more rows examined than returned, in a scan whose conditions an index could serve.

Common practice: rows examined far above rows returned, and no index keys read, point to a missing index.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace

from hardy_gauge.core.diagnosis.building import won_back
from hardy_gauge.core.diagnosis.fact import Fact
from hardy_gauge.core.diagnosis.finding import Finding, Grade, Impact, PlanQuestion, Signal, Subject, grade_of
from hardy_gauge.core.evidence.evidence import Evidence, Sampled, Samples, Schema, Source, StatementWork
from hardy_gauge.core.evidence.schema import TableFacts
from hardy_gauge.core.plans.model import Plan, Step
from hardy_gauge.core.remedies.index import IndexAdvice, advise_index, remedy_of
from hardy_gauge.core.remedies.remedy import IndexChange
from hardy_gauge.core.sql.predicates import Unreadable, read_uses
from hardy_gauge.core.statements.ratios import examined_per_row

AS_EVER = 1.5
FAR_ABOVE = 100.0
LEAST_SHARE = 0.02
SCAN_HALF = 0.5
# a statement that requests fewer pages than this part of the table's reads it not to its end, or by another plan
WHOLE = 0.5
PAGE_BYTES = 8192
# the costs of two plans of a statement stand to each other as their times, within this factor
COSTS_TO_TIMES = 5.0
CONFIRMED, LIKELY, POSSIBLE = 0.95, 0.7, 0.5


@dataclass(frozen=True)
class Examined:
    """Rows examined per row returned, and where that is known from."""

    per_row: float
    source: str

    @classmethod
    def of(cls, work: StatementWork, table: TableFacts, scan: Step) -> Examined | None:
        """As the server counts them; where it does not, the rows of the table for each scan of its plan, if the pages that it
        requested are those of whole scans.
        """
        counted = examined_per_row(work.calls, work.rows_returned, work.rows_examined)
        if counted is not None:
            return cls(counted, "statement counters")
        scans = work.calls * max(scan.loops, 1.0)
        if work.pages_requested is None or work.pages_requested < WHOLE * scans * table.bytes / PAGE_BYTES:
            return None
        estimate = examined_per_row(work.calls, work.rows_returned, scans * table.rows)
        return None if estimate is None else cls(estimate, "plan, which reads all of the table")


class MissingIndex:
    """Looks at the heaviest scan of each statement's plan, and proposes the index that would serve its table."""

    cause = "missing_index"
    needs: tuple[Source, ...] = ("statements", "samples", "schema")

    def examine(self, evidence: Evidence) -> list[Finding]:
        """A finding for each statement that mostly reads all of a table by conditions that an index could serve."""
        statements, samples, schema = evidence.statements, evidence.samples, evidence.schema
        assert isinstance(statements, Mapping) and isinstance(samples, Samples) and isinstance(schema, Schema)
        found = [
            self._one(work, samples, schema, evidence.covered_s)
            for work in statements.values()
            if work.fingerprint in samples.by_statement
        ]
        return [finding for finding in found if finding is not None]

    def _one(self, work: StatementWork, samples: Samples, schema: Schema, covered_s: float) -> Finding | None:
        sampled = samples.by_statement[work.fingerprint]
        share = sampled.active_sessions / samples.active_sessions
        scan = heaviest_scan(work.plan) if work.plan is not None else None
        if share < LEAST_SHARE or work.plan is None or scan is None or scan.object is None:
            return None
        table = schema.tables.get(scan.object)
        examined = Examined.of(work, table, scan) if table is not None else None
        if table is None or examined is None or examined.per_row < FAR_ABOVE:
            return None
        advice = _advice_for(work.text, schema, scan.object)
        if advice is None:
            return None
        part = scan_share(work.plan, scan)
        remedy = remedy_of(advice, table)
        return Finding(
            cause=self.cause, title=f"Missing index on {advice.table} ({', '.join(advice.columns)})",
            subject=Subject("statement", work.fingerprint, work.text),
            impact=Impact(sampled.active_sessions, sampled.low, sampled.high),
            share=share, share_low=sampled.low / samples.active_sessions,
            share_high=min(1.0, sampled.high / samples.active_sessions), grade=_grade(share, sampled.active_sessions, _always_so(work, examined)),
            confidence=LIKELY if part >= SCAN_HALF else POSSIBLE,
            facts=_facts(work, sampled, table, examined, part, covered_s), remedies=[remedy],
            question=PlanQuestion(work.text, IndexChange(advice.table, advice.columns), work.plan.cost),
            signal=Signal("statement", work.fingerprint), chronic=_always_so(work, examined),
        )  # fmt: skip

    def confirm(self, finding: Finding, answer: Plan | None) -> Finding | None:
        """With the plan that the server would use: withdrawn where it would not use the index."""
        if answer is None or finding.question is None:
            return replace(finding, question=None)
        if heaviest_scan(answer, of=finding.question.index.table) is not None:
            return None  # the server itself would not use it
        (remedy,) = finding.remedies
        per_call = next(fact.value for fact in finding.facts if fact.what == "time per call")
        expected, impact = list(remedy.expected), finding.impact
        if answer.time_s is not None:
            source = "plan with the index, asked of the server"
            expected.append(Fact("time per call", answer.time_s, "s", source, per_call))
            saved = max(0.0, 1 - answer.time_s / per_call)
            each = "part of each call saved × active sessions"
            expected.append(won_back(saved * impact.value, saved * impact.low, saved * impact.high, each, impact.value))
        elif answer.cost and finding.question.cost:
            part = answer.cost / finding.question.cost
            won, least = (max(0.0, 1 - times * part) for times in (1.0, COSTS_TO_TIMES))
            each = f"cost of the plan with the index ÷ without; time may be {COSTS_TO_TIMES:g} times that"
            expected.append(won_back(won * impact.value, least * impact.low, impact.high, each, impact.value))
        return replace(finding, confidence=CONFIRMED, question=None, remedies=[replace(remedy, expected=expected)])


def _grade(share: float, sessions: float, always: bool) -> Grade:
    """What has always been so can be planned."""
    grade = grade_of(share, sessions)
    return "plan" if always and grade == "act" else grade


def _always_so(work: StatementWork, examined: Examined) -> bool:
    """Whether it examined as many rows for one on all days like this."""
    typical = work.typical_examined_per_row
    return typical is not None and examined.per_row < AS_EVER * typical.value


def heaviest_scan(plan: Plan, of: str | None = None) -> Step | None:
    """The scan that examines most rows, of one table if named."""
    scans = [s for _, s in plan.root.walk() if s.operation == "scan" and (of is None or s.object == of)]
    return max(scans, key=lambda s: s.rows_examined or s.rows_expected, default=None)


def scan_share(plan: Plan, scan: Step) -> float:
    """Share of the plan's time (or cost, where there is no time) that is the scan's own."""
    if plan.time_s and scan.own_time_s is not None:
        return scan.own_time_s / plan.time_s
    return (scan.cost or 0.0) / plan.cost if plan.cost else 0.0


def _advice_for(text: str, schema: Schema, table: str) -> IndexAdvice | None:
    try:
        uses = read_uses(text, {name: list(t.columns) for name, t in schema.tables.items()}, schema.dialect)
    except Unreadable:
        return None
    use = uses.tables.get(table)
    return advise_index(use, schema.tables[table]) if use else None


def _facts(
    work: StatementWork, sampled: Sampled, table: TableFacts, examined: Examined, part: float, covered_s: float
) -> list[Fact]:
    usual_ratio, usual_time = work.typical_examined_per_row, work.typical_time_per_call_s
    return [
        Fact("active sessions", sampled.active_sessions, "sessions", "session samples", None, sampled.low, sampled.high),
        Fact("rows examined per row returned", examined.per_row, "rows", examined.source, usual_ratio.value if usual_ratio else None),
        Fact("time per call", work.time_s / work.calls, "s", "statement counters", usual_time.value if usual_time else None),
        Fact("calls", work.calls / covered_s if covered_s else 0.0, "/s", "statement counters"),
        Fact(f"share of the plan's time in reading all of {table.name}", part, "share", "plan"),
        Fact(f"rows in {table.name}", table.rows, "rows", "schema"),
    ]  # fmt: skip
