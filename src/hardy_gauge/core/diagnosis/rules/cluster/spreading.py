"""How the workers of a reporting cluster share a statement: a side that is sent whole to each of them, parts that are too few or too many."""

from __future__ import annotations

from collections.abc import Iterator, Mapping

from hardy_gauge.core.diagnosis.building import Unasked, change_of, changed, costs, remedy, setting_of
from hardy_gauge.core.diagnosis.fact import Fact
from hardy_gauge.core.diagnosis.finding import Finding, Subject
from hardy_gauge.core.evidence.evidence import Evidence, Sampled, Samples, Source, StatementWork
from hardy_gauge.core.plans.model import Plan, Step

LEAST_SHARE = 0.05
MANY_ROWS, OF_THE_PLAN = 100_000.0, 0.1  # rows that are sent whole, and the time of the plan that goes to it
MOVED_ROWS, SLOWER = 10_000.0, 1.3
TASKS_EACH, FEW_ROWS = 2.0, 10.0  # parts for each task of one worker at least; rows of a part at least


class _Spreading(Unasked):
    cause = ""
    setting = ""
    needs: tuple[Source, ...] = ("statements", "samples")

    def examine(self, evidence: Evidence) -> list[Finding]:
        statements, samples = evidence.statements, evidence.samples
        assert isinstance(statements, Mapping) and isinstance(samples, Samples)
        heavy = []
        for work in statements.values():
            spent = samples.by_statement.get(work.fingerprint)
            if work.plan is not None and spent and spent.active_sessions >= LEAST_SHARE * samples.active_sessions:
                heavy += list(self.one(evidence, work, work.plan, spent))
        return sorted(heavy, key=lambda one: -one.share)[:1]

    def one(self, evidence: Evidence, work: StatementWork, plan: Plan, spent: Sampled) -> Iterator[Finding]:
        raise NotImplementedError

    def told(
        self,
        evidence: Evidence,
        work: StatementWork,
        spent: Sampled,
        title: str,
        facts: list[Fact],
        words: str,
        harm: str,
    ) -> Finding:
        known = setting_of(evidence, self.setting)
        name = known.name if known is not None else self.setting
        back = (
            f" (its default is {known.default})"
            if known is not None and known.default not in (None, known.value)
            else ""
        )
        signal = changed(evidence, name)
        if known is not None and isinstance(known.value, int | float):
            facts.append(Fact(name, float(known.value), known.unit or "", "settings"))
        remedies = [remedy("setting change", f"{words} {name}{back}", harm)]
        if known is not None and known.default is not None and known.default != known.value:
            remedies = [change_of(evidence, known, known.default, f"{words} {name}{back}", harm)]
        subject = Subject("statement", work.fingerprint, work.text)
        return costs(evidence, self.cause, title, subject, spent, facts, remedies, 0.8, signal)


class BroadcastTooLarge(_Spreading):
    """A step that sends very many rows whole to every worker, and takes a part of the plan's time."""

    cause = "broadcast_too_large"
    setting = "broadcast_limit_bytes"

    def one(self, evidence: Evidence, work: StatementWork, plan: Plan, spent: Sampled) -> Iterator[Finding]:
        sent = _largest(plan, "broadcast")
        if sent is None or _rows(sent) < MANY_ROWS:
            return
        part = (sent.own_time_s or 0.0) / plan.time_s if plan.time_s else None
        if part is not None and part < OF_THE_PLAN:
            return
        facts = [Fact("rows sent whole to every worker", _rows(sent), "rows", "plan")]
        if part is not None:
            facts.append(Fact("of the plan's time", part, "share", "plan"))
        yield self.told(
            evidence, work, spent, f"A side of {_rows(sent):,.0f} rows is sent whole to every worker", facts, "Lower",
            "Small sides that are sent whole now may be exchanged by key too.",
        )  # fmt: skip


class PartitionsWrong(_Spreading):
    """Fewer parts than the tasks of even one worker, or so many that they are all but empty; the statement is slower than it was."""

    cause = "partitions_wrong"
    setting = "exchange_partitions"

    def one(self, evidence: Evidence, work: StatementWork, plan: Plan, spent: Sampled) -> Iterator[Finding]:
        parts, tasks = setting_of(evidence, self.setting), setting_of(evidence, "parallel_workers")
        moved, typical = _largest(plan, "exchange"), work.typical_time_per_call_s
        if parts is None or tasks is None or moved is None or _rows(moved) < MOVED_ROWS:
            return
        if typical is not None and work.calls and work.time_s / work.calls < SLOWER * typical.value:
            return
        count, wanted = float(parts.value), TASKS_EACH * float(tasks.value)
        if wanted <= count and _rows(moved) / count >= FEW_ROWS:
            return
        facts = [
            Fact("rows that move by their key", _rows(moved), "rows", "plan"),
            Fact("tasks of one worker", float(tasks.value), "", "settings"),
        ]
        title = f"Rows move between workers in {count:.0f} {'part' if count == 1 else 'parts'}"
        yield self.told(
            evidence, work, spent, title, facts, "Raise" if count < wanted else "Lower", "Each part costs a fixed time."
        )


def _largest(plan: Plan, operation: str) -> Step | None:
    steps = [step for _, step in plan.root.walk() if step.operation == operation]
    return max(steps, key=_rows, default=None)


def _rows(step: Step) -> float:
    return step.rows_seen if step.rows_seen is not None else step.rows_expected
