"""Value-sensitive plan: one plan serves two kinds of execution of a statement, and is right for one of them only."""

from __future__ import annotations

from collections.abc import Mapping

from hardy_gauge.core.diagnosis.building import Unasked, costs, remedy
from hardy_gauge.core.diagnosis.fact import Fact
from hardy_gauge.core.diagnosis.finding import Finding, Subject
from hardy_gauge.core.evidence.evidence import Evidence, Sampled, Samples, Source, StatementWork
from hardy_gauge.core.evidence.sources import ExecutionKinds

LEAST_SHARE = 0.05
TIMES_ROWS, TIMES_LONGER = 8.0, 4.0
LEAST_OF_CALLS, MOST_OF_CALLS = 0.01, 0.7
OF_ITS_TIME = 0.5  # in the kind that is larger: less is the spread that every statement has
SLOWER = 1.5


class ValueSensitivePlan(Unasked):
    """Executions with many times the rows of the others, by the same plan, that take most of the statement's time."""

    cause = "value_sensitive_plan"
    needs: tuple[Source, ...] = ("statements", "samples", "executions")

    def examine(self, evidence: Evidence) -> list[Finding]:
        statements, samples, executions = evidence.statements, evidence.samples, evidence.executions
        assert isinstance(statements, Mapping) and isinstance(samples, Samples) and isinstance(executions, Mapping)
        turned = {one.fingerprint for one in evidence.plan_turns} if isinstance(evidence.plan_turns, list) else set()
        found = []
        for fingerprint, kinds in executions.items():
            work, spent = statements.get(fingerprint), samples.by_statement.get(fingerprint)
            if work is None or spent is None or spent.active_sessions < LEAST_SHARE * samples.active_sessions:
                continue
            if fingerprint not in turned and self._two_kinds(kinds) and self._slower(work):
                found.append(self._one(evidence, work, kinds, spent))
        return found

    def _two_kinds(self, kinds: ExecutionKinds) -> bool:
        return (
            kinds.plans == 1
            and LEAST_OF_CALLS <= kinds.large_share <= MOST_OF_CALLS
            and kinds.large_rows >= TIMES_ROWS * max(kinds.small_rows, 1.0)
            and kinds.large_s >= TIMES_LONGER * kinds.small_s
            and kinds.large_of_time >= OF_ITS_TIME
        )

    def _slower(self, work: StatementWork) -> bool:
        typical = work.typical_time_per_call_s
        return typical is None or work.time_s / work.calls >= SLOWER * typical.value

    def _one(self, evidence: Evidence, work: StatementWork, kinds: ExecutionKinds, spent: Sampled) -> Finding:
        facts = [
            Fact("of its calls ask for a frequent value", kinds.large_share, "share", "executions"),
            Fact("of its time goes to them", kinds.large_of_time, "share", "executions"),
            Fact("rows of such a call", kinds.large_rows, "rows", "executions", kinds.small_rows),
            Fact("time of such a call", kinds.large_s, "s", "executions", kinds.small_s),
        ]
        remedies = [
            remedy("rewrite", "Write the frequent value into the text, so that it gets a plan of its own",
                   "Each value that is written out is a statement of its own to plan and to count."),
            remedy("setting change", "Let the planner look at the values of each call instead of keeping one plan",
                   "Planning each call takes processor time."),
            remedy("rewrite", "Ask for fewer rows of the frequent value: page by page, or only what is new"),
        ]  # fmt: skip
        title = "One plan serves two kinds of value, and most of the time goes to the frequent one"
        subject = Subject("statement", work.fingerprint, work.text)
        return costs(evidence, self.cause, title, subject, spent, facts, remedies, 0.8)
