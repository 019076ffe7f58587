"""Messages that people want to be told of: a log rule of theirs makes them a finding."""

from __future__ import annotations

from hardy_gauge.core.diagnosis.building import Unasked, remedy, statement_of, warns
from hardy_gauge.core.diagnosis.fact import Fact
from hardy_gauge.core.diagnosis.finding import Finding, Impact, Signal, Subject
from hardy_gauge.core.evidence.evidence import Evidence, Source, Unknown
from hardy_gauge.core.evidence.sources import Message

LONGEST, MOST_FACTS = 90, 6


class WatchedMessage(Unasked):
    """One finding for each statement that ran, and one for the server where none did."""

    cause = "watched_message"
    needs: tuple[Source, ...] = ("messages",)

    def examine(self, evidence: Evidence) -> list[Finding]:
        assert not isinstance(evidence.messages, Unknown)
        by_subject: dict[Subject, list[Message]] = {}
        for message in evidence.messages:
            if message.watched:
                work = statement_of(evidence, message.fingerprint)
                named = (
                    Subject("statement", message.fingerprint, work.text) if work else Subject("server", evidence.server)
                )
                by_subject.setdefault(named, []).append(message)
        return [self._found(subject, said) for subject, said in by_subject.items()]

    def _found(self, subject: Subject, said: list[Message]) -> Finding:
        said = sorted(said, key=lambda one: -one.count)
        count, first = float(sum(one.count for one in said)), said[0].shape
        words = first if len(first) <= LONGEST else f"{first[:LONGEST]}…"
        others = f" and {len(said) - 1} more" if len(said) > 1 else ""
        read = remedy(
            "rewrite",
            "Read the message in the Log, with what ran then",
            "Whether it matters is known to whoever made the rule.",
        )
        return warns(
            self.cause, f"The log says what somebody watches for: {words}{others}", subject, "plan",
            [Fact(one.shape, float(one.count), "", "log") for one in said[:MOST_FACTS]], [read], 0.95,
            Impact(count, count, count, "calls"), Signal("moment", at_us=min(one.first_us for one in said)),
        )  # fmt: skip
