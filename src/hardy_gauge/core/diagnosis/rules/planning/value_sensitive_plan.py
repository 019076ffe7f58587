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
SLOWER, AS_BEFORE = 1.5, 2.0
# standard deviation ÷ mean of a call's time: calls of one kind have about 1 and less, of two kinds √((1 − p) ÷ p), p the share of the slow
VARIES, MORE_ROWS = 1.5, 2.0


class ValueSensitivePlan(Unasked):
    """Executions with many times the rows of the others, by the same plan, that take most of the statement's time.

    Seen in single executions, or where those are too short to be recorded in the spread of the calls' times together with their rows.
    """

    cause = "value_sensitive_plan"
    needs: tuple[Source, ...] = ("statements", "samples", "executions")

    def examine(self, evidence: Evidence) -> list[Finding]:
        statements, samples, executions = evidence.statements, evidence.samples, evidence.executions
        assert isinstance(statements, Mapping) and isinstance(samples, Samples) and isinstance(executions, Mapping)
        turned = {one.fingerprint for one in evidence.plan_turns} if isinstance(evidence.plan_turns, list) else set()
        found = []
        for fingerprint, work in statements.items():
            spent = samples.by_statement.get(fingerprint)
            if spent is None or spent.active_sessions < LEAST_SHARE * samples.active_sessions or fingerprint in turned:
                continue
            kinds = executions.get(fingerprint)
            if not _slower(work):
                continue
            if kinds is not None and _two_kinds(kinds, work):
                found.append(self._one(evidence, work, _facts_of(kinds), spent))
            elif _spread_wide(work):
                found.append(self._one(evidence, work, _facts_of_spread(work), spent))
        return found

    def _one(self, evidence: Evidence, work: StatementWork, facts: list[Fact], spent: Sampled) -> Finding:
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


def _slower(work: StatementWork) -> bool:
    typical = work.typical_time_per_call_s
    return typical is None or work.time_s / work.calls >= SLOWER * typical.value


def _two_kinds(kinds: ExecutionKinds, work: StatementWork) -> bool:
    """The large ones are apart, and the others are as calls were on days like this."""
    typical = work.typical_time_per_call_s
    return (
        kinds.plans == 1
        and LEAST_OF_CALLS <= kinds.large_share <= MOST_OF_CALLS
        and kinds.large_rows >= TIMES_ROWS * max(kinds.small_rows, 1.0)
        and kinds.large_s >= TIMES_LONGER * kinds.small_s
        and kinds.large_of_time >= OF_ITS_TIME
        and (typical is None or kinds.small_s <= AS_BEFORE * typical.value)
    )


def _spread_wide(work: StatementWork) -> bool:
    typical = work.typical_rows_per_call
    more_rows = typical is not None and work.rows_returned / work.calls >= MORE_ROWS * max(typical.value, 1.0)
    return work.variation is not None and work.variation >= VARIES and more_rows


def _facts_of(kinds: ExecutionKinds) -> list[Fact]:
    return [
        Fact("of its calls ask for a frequent value", kinds.large_share, "share", "executions"),
        Fact("of its time goes to them", kinds.large_of_time, "share", "executions"),
        Fact("rows of such a call", kinds.large_rows, "rows", "executions", kinds.small_rows),
        Fact("time of such a call", kinds.large_s, "s", "executions", kinds.small_s),
    ]


def _facts_of_spread(work: StatementWork) -> list[Fact]:
    typical = work.typical_rows_per_call
    return [
        Fact("standard deviation of a call's time ÷ its mean", work.variation or 0.0, "", "statement counters", 1.0),
        Fact(
            "rows for each call",
            work.rows_returned / work.calls,
            "rows",
            "statement counters",
            typical.value if typical else None,
        ),
    ]
