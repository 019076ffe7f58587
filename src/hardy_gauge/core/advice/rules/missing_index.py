"""Missing index: far more rows examined than returned, in a scan whose conditions an index could serve.

Common practice: rows examined far above rows returned, and no index keys read, point to a missing index.
"""

from __future__ import annotations

from hardy_gauge.core.advice.finding import Advice, Evidence, Finding, Grade, StatementFacts, WhatIf
from hardy_gauge.core.advice.index_advice import ENTRY_LOG_BYTES, IndexAdvice, advise_index
from hardy_gauge.core.plans.model import Plan, Step
from hardy_gauge.core.sql.predicates import Unreadable, read_uses

FAR_ABOVE = 100.0
LEAST_SHARE = 0.02
SCAN_HALF = 0.5


class MissingIndex:
    """Looks at the heaviest scan of the plan, and proposes the index that would serve its table."""

    cause = "missing_index"

    def check(self, statement: StatementFacts, what_if: WhatIf | None) -> Finding | None:
        if statement.share < LEAST_SHARE or statement.plan is None or not statement.calls:
            return None
        examined_per_row = statement.rows_examined / max(statement.rows_returned, statement.calls)
        scan = heaviest_scan(statement.plan)
        if examined_per_row < FAR_ABOVE or scan is None or scan.object not in statement.tables:
            return None
        table = statement.tables[scan.object]
        try:
            uses = read_uses(
                statement.text,
                {name: list(t.columns) for name, t in statement.tables.items()},
                statement.dialect,
            )
        except Unreadable:
            return None
        use = uses.tables.get(scan.object)
        advice = advise_index(use, table) if use else None
        if use is None or advice is None:
            return None
        part = scan_share(statement.plan, scan)
        after = what_if(advice.table, advice.columns) if what_if else None
        if after is not None and heaviest_scan(after, of=scan.object) is not None:
            return None  # the server itself would not use it
        confidence = 0.95 if after is not None else 0.7 if part >= SCAN_HALF else 0.5
        per_call = statement.time_s / statement.calls
        evidence = [
            Evidence("rows examined per row returned", examined_per_row, "rows", "statement counters",
                     statement.reference_examined_per_row),
            Evidence("time per call", per_call, "s", "statement counters", statement.reference_time_per_call_s),
            Evidence("calls", statement.calls / statement.span_s, "/s", "statement counters"),
            Evidence(f"share of the plan's time in reading all of {table.name}", part, "share", "plan"),
            Evidence(f"rows in {table.name}", table.rows, "rows", "schema"),
        ]  # fmt: skip
        return Finding(
            cause=self.cause, title=f"Missing index on {table.name} ({', '.join(advice.columns)})",
            grade=_grade(statement.share), share=statement.share, share_low=statement.share_low,
            share_high=statement.share_high, confidence=confidence, evidence=evidence,
            advice=[_advice(advice, statement, per_call, after)],
        )  # fmt: skip


def heaviest_scan(plan: Plan, of: str | None = None) -> Step | None:
    """The scan that examines most rows, of one table if named."""
    scans = [s for _, s in plan.root.walk() if s.operation == "scan" and (of is None or s.object == of)]
    return max(scans, key=lambda s: s.rows_examined or s.rows_expected, default=None)


def scan_share(plan: Plan, scan: Step) -> float:
    """Share of the plan's time (or cost, where there is no time) that is the scan's own."""
    if plan.time_s and scan.own_time_s is not None:
        return scan.own_time_s / plan.time_s
    return (scan.cost or 0.0) / plan.cost if plan.cost else 0.0


def _grade(share: float) -> Grade:
    return "act" if share >= 0.3 else "plan" if share >= 0.1 else "note"


def _advice(index: IndexAdvice, statement: StatementFacts, per_call: float, after: Plan | None) -> Advice:
    expected = []
    if after is not None and after.time_s is not None:
        expected.append(
            Evidence("time per call", after.time_s, "s", "plan with the index, asked of the server", per_call)
        )
        saved = max(0.0, 1 - after.time_s / per_call) * statement.time_s / statement.span_s
        expected.append(Evidence("active sessions won back", saved, "sessions", "time per call saved × calls"))
    side = [Evidence("size", index.bytes, "B", "rows × entry width ÷ fill of 90%")]
    if index.writes_per_s is not None:
        side.append(
            Evidence("entries to write", index.writes_per_s, "/s", "inserts, deletes and updates of its columns")
        )
        side.append(Evidence("log to write", index.writes_per_s * ENTRY_LOG_BYTES, "B/s", "entries × 72 B"))
    cautions = ["Building it reads the whole table once and may hold up writes to it; do it outside the rush."]
    if index.writes_per_s is None:
        cautions.append("This server does not report write rates, so the cost of keeping the index is not known.")
    return Advice(
        f"Build {index.name}", index.script, index.way_back, index.table, index.columns, expected, side, cautions
    )
