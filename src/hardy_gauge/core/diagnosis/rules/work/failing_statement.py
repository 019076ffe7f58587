"""Failing statement: a share of its calls ends with an error; deadlocks, and what a full volume refuses, are named by their own rules."""

from __future__ import annotations

from collections.abc import Mapping

from hardy_gauge.core.diagnosis.building import Unasked, grade_by_failures, remedy, warns
from hardy_gauge.core.diagnosis.fact import Fact
from hardy_gauge.core.diagnosis.finding import Finding, Impact, Signal, Subject
from hardy_gauge.core.diagnosis.rules.waiting.deadlocks import is_deadlock
from hardy_gauge.core.evidence.evidence import Evidence, Source, Unknown

LEAST_SHARE = 0.01
LEAST = 5.0
ALL_WRITES = 3  # so many statements with the same message have a cause beside their own text


class FailingStatement(Unasked):
    """Errors by call, with what the log says of them."""

    cause = "failing_statement"
    needs: tuple[Source, ...] = ("statements",)

    def examine(self, evidence: Evidence) -> list[Finding]:
        assert isinstance(evidence.statements, Mapping)
        messages = [] if isinstance(evidence.messages, Unknown) else list(evidence.messages)
        said: dict[str, list[str]] = {}
        for message in messages:
            if message.severity == "error" and not is_deadlock(message):
                said.setdefault(message.fingerprint, []).append(message.shape)
        of_deadlocks = {m.fingerprint: m.count for m in messages if is_deadlock(m)}
        found = []
        for work in evidence.statements.values():
            errors = (work.errors or 0.0) - of_deadlocks.get(work.fingerprint, 0)
            share = errors / (work.calls + errors) if errors > work.calls else errors / max(work.calls, 1.0)
            if errors < LEAST or share < LEAST_SHARE:
                continue
            words = said.get(work.fingerprint, [])
            facts = [
                Fact("calls that fail", errors, "calls", "statement counters and log"),
                Fact("of its calls", share, "share", "statement counters and log"),
            ]
            title = f"Calls fail: {words[0]}" if words else "Calls fail"
            remedies = [
                remedy(
                    "talk", f"Show {work.service or 'the application'} what fails", "Nothing on the server mends it."
                )
            ]
            found.append(
                warns(
                    self.cause, title, Subject("statement", work.fingerprint, work.text), grade_by_failures(share), facts, remedies,
                    0.9 if words else 0.8, Impact(errors, errors, errors, "calls"), Signal("errors", work.fingerprint),
                )
            )  # fmt: skip
        return found
