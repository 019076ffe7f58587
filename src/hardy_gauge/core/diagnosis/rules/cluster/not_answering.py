"""A server that does not answer: nothing else can be told of it."""

from __future__ import annotations

from hardy_gauge.core.diagnosis.building import Unasked, remedy, warns
from hardy_gauge.core.diagnosis.fact import Fact
from hardy_gauge.core.diagnosis.finding import Finding, Grade, Signal, Subject
from hardy_gauge.core.evidence.evidence import Evidence, Source

LEAST_S = 120.0  # a restart takes less


def not_answering(evidence: Evidence, cause: str) -> list[Finding]:
    """The finding under the name of a cause; empty while it answers."""
    gone = evidence.no_answer
    if gone is None:
        return []
    silent_s = (evidence.focus.until_us - gone.since_us) / 1e6
    if silent_s < LEAST_S:
        return []
    meant = [
        one for one in (evidence.changes if isinstance(evidence.changes, list) else []) if "administrator" in one.title
    ]
    grade: Grade = "note" if meant else "act"
    facts = [Fact("no answer since", silent_s, "s", "the recorder")]
    words = "was shut down on purpose" if meant else f"does not answer: {gone.reason}"
    remedies = [remedy("operation", "See whether its host and its process are up, and what its log said last")]
    subject = Subject("server", evidence.server)
    return [
        warns(
            cause,
            f"{evidence.server} {words}",
            subject,
            grade,
            facts,
            remedies,
            0.9,
            signal=Signal("moment", at_us=gone.since_us),
        )
    ]


class ServerDown(Unasked):
    """One that is no member of a partitioned cluster."""

    cause = "server_down"
    needs: tuple[Source, ...] = ()

    def examine(self, evidence: Evidence) -> list[Finding]:
        return [] if evidence.role == "member" else not_answering(evidence, self.cause)
