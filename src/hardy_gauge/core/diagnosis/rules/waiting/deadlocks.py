"""Deadlocks: the log says that calls were given up because they waited in a circle."""

from __future__ import annotations

from hardy_gauge.core.diagnosis.building import Unasked, first_said, grade_by_failures, remedy, statement_of, warns
from hardy_gauge.core.diagnosis.fact import Fact
from hardy_gauge.core.diagnosis.finding import Finding, Impact, Subject
from hardy_gauge.core.evidence.evidence import Evidence, Source, Unknown
from hardy_gauge.core.sql.message_shape import is_deadlock

LEAST = 3  # in the focus: one is an accident


class Deadlocks(Unasked):
    """By statement, with both sides where the log has them."""

    cause = "deadlocks"
    needs: tuple[Source, ...] = ("messages",)

    def examine(self, evidence: Evidence) -> list[Finding]:
        assert not isinstance(evidence.messages, Unknown)
        found = []
        for message in evidence.messages:
            if not is_deadlock(message.shape, message.code) or message.severity != "error" or message.count < LEAST:
                continue
            work = statement_of(evidence, message.fingerprint)
            share = message.count / work.calls if work is not None and work.calls else 0.0
            facts = [Fact("calls given up", float(message.count), "calls", "log")]
            if work is not None:
                facts.append(Fact("of the statement's calls", share, "share", "log and statement counters"))
            remedies = [
                remedy("rewrite", "Change the rows in one order everywhere, such as that of their key"),
                remedy(
                    "rewrite",
                    "Try the transaction again when it was given up",
                    "It must be written so that it can be repeated.",
                ),
            ]
            subject = (
                Subject("statement", message.fingerprint, work.text)
                if work is not None
                else Subject("server", evidence.server)
            )
            title = "Calls are given up because they wait for each other in a circle"
            grade = max((grade_by_failures(share), "plan"), key=("note", "plan", "act").index)
            impact = Impact(float(message.count), float(message.count), float(message.count), "calls")
            found.append(
                warns(
                    self.cause,
                    title,
                    subject,
                    grade,
                    facts,
                    remedies,
                    0.95,
                    impact,
                    first_said(evidence, message.fingerprint),
                )
            )
        return found
