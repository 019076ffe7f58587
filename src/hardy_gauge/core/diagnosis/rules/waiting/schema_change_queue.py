"""Schema change queue: everyone who wants a table waits for a change of its schema, which itself waits for somebody who reads it."""

from __future__ import annotations

from hardy_gauge.core.activity.waiting import IDLE
from hardy_gauge.core.diagnosis.building import Unasked, costs, remedy
from hardy_gauge.core.diagnosis.fact import Fact
from hardy_gauge.core.diagnosis.finding import Finding, Subject
from hardy_gauge.core.evidence.evidence import Evidence, Samples, Source, Unknown

LEAST_SHARE = 0.05
BEHIND = 2


class SchemaChangeQueue(Unasked):
    """Waits for a whole object, two and more one behind the other, with one that works at the root."""

    cause = "schema_change_queue"
    needs: tuple[Source, ...] = ("samples", "waiting")

    def examine(self, evidence: Evidence) -> list[Finding]:
        samples, waiting = evidence.samples, evidence.waiting
        assert isinstance(samples, Samples) and not isinstance(waiting, Unknown)
        spent = samples.by_family.get("object lock")
        if spent is None or spent.active_sessions < LEAST_SHARE * samples.active_sessions:
            return []
        roots = [root for root in waiting if root.depth >= BEHIND and root.doing != IDLE]
        if not roots:
            return []
        root = max(roots, key=lambda one: one.waited_s)
        facts = [
            Fact("waited for it", root.waited_s, "s", "session samples"),
            Fact("sessions that waited at once", float(root.most), "sessions", "session samples"),
            Fact("sessions one behind the other", float(root.depth), "sessions", "session samples"),
        ]
        remedies = [
            remedy(
                "talk",
                "Change the schema with a short lock timeout, and try again: nobody then waits behind it for long",
            ),
            remedy("talk", "Change it when no long report reads the table"),
        ]
        subject = (
            Subject("statement", root.fingerprint, root.text)
            if root.fingerprint
            else Subject("session", str(root.session))
        )
        title = "A change of a schema waits for a long statement, and everyone waits behind it"
        return [costs(evidence, self.cause, title, subject, spent, facts, remedies, 0.85, of_others=True)]
