"""Failing statement: a share of its calls ends with an error; deadlocks, and what a full volume refuses, are named by their own rules."""

from __future__ import annotations

from collections.abc import Mapping

from hardy_gauge.core.diagnosis.building import Unasked, grade_by_failures, remedy, warns
from hardy_gauge.core.diagnosis.fact import Fact
from hardy_gauge.core.diagnosis.finding import Finding, Impact, Signal, Subject
from hardy_gauge.core.evidence.evidence import Evidence, Source, Unknown
from hardy_gauge.core.evidence.sources import Message
from hardy_gauge.core.sql.message_shape import is_deadlock

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
            if message.severity == "error" and not is_deadlock(message.shape, message.code):
                said.setdefault(message.fingerprint, []).append(message.shape)
        of_deadlocks = {m.fingerprint: m.count for m in messages if is_deadlock(m.shape, m.code)}
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
        return found + [self._never_well(m) for m in messages if self._is_never_well(evidence, m)]

    def _is_never_well(self, evidence: Evidence, message: Message) -> bool:
        """A statement of which no call ended well is in no counter: the log alone knows of it."""
        assert isinstance(evidence.statements, Mapping)
        known = not message.fingerprint or message.fingerprint in evidence.statements
        return (
            message.severity == "error"
            and not known
            and message.count >= LEAST
            and not is_deadlock(message.shape, message.code)
        )

    def _never_well(self, message: Message) -> Finding:
        count = float(message.count)
        facts = [
            Fact("calls that fail", count, "calls", "log"),
            Fact("of its calls", 1.0, "share", "log and statement counters"),
        ]
        remedies = [remedy("talk", "Show its application what fails", "Nothing on the server mends it.")]
        subject = Subject("statement", message.fingerprint, message.text)
        return warns(
            self.cause, f"Calls fail: {message.shape}", subject, grade_by_failures(1.0), facts, remedies, 0.8, Impact(count, count, count, "calls"),
            Signal("errors", message.fingerprint),
        )  # fmt: skip
