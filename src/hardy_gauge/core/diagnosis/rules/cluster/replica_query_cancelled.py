"""Replica query cancelled: calls on a replica are ended since the log takes away rows that they still need."""

from __future__ import annotations

from hardy_gauge.core.diagnosis.building import Unasked, first_said, grade_by_failures, remedy, statement_of, warns
from hardy_gauge.core.diagnosis.fact import Fact
from hardy_gauge.core.diagnosis.finding import Finding, Impact, Subject
from hardy_gauge.core.evidence.evidence import Evidence, Source
from hardy_gauge.core.evidence.sources import Message

LEAST = 2  # one may be an accident
ENDED, WHY = ("cancel", "ended", "terminat"), ("by the log", "recovery", "replication", "apply")


def is_cancelled(message: Message) -> bool:
    """Whether a message says that a call was ended for the sake of what comes in from the primary."""
    said = message.shape.lower()
    return message.severity == "error" and any(w in said for w in ENDED) and any(w in said for w in WHY)


class ReplicaQueryCancelled(Unasked):
    """By statement, from the log of a replica."""

    cause = "replica_query_cancelled"
    needs: tuple[Source, ...] = ("messages",)

    def examine(self, evidence: Evidence) -> list[Finding]:
        assert isinstance(evidence.messages, list)
        found = []
        for message in evidence.messages:
            work = statement_of(evidence, message.fingerprint)
            # the counters know of calls whose messages were not read
            count = max(float(message.count), (work.errors or 0.0) if work is not None else 0.0)
            if not is_cancelled(message) or count < LEAST or evidence.role != "replica":
                continue
            share = count / max(work.calls, 1.0) if work is not None else 0.0
            facts = [Fact("calls that were ended", count, "calls", "log and statement counters")]
            if work is not None:
                facts.append(Fact("of the statement's calls", share, "share", "log and statement counters"))
            remedies = [
                remedy("setting change", "Let the replica wait longer before it ends a call that is in the way of the log",
                       "It falls behind its primary for as long."),
                remedy("setting change", "Let the replica tell its primary which rows it still needs",
                       "The primary keeps dead rows for as long: its tables grow."),
                remedy("rewrite", "Shorten the call, or run it where nothing is applied"),
            ]  # fmt: skip
            subject = Subject("server", evidence.server)
            if work is not None:
                subject = Subject("statement", message.fingerprint, work.text)
            title = "Calls are ended because the log removes rows that they read"
            found.append(
                warns(
                    self.cause, title, subject, grade_by_failures(share), facts, remedies, 0.9, Impact(count, count, count, "calls"),
                    first_said(evidence, message.fingerprint),
                )
            )  # fmt: skip
        return found
