"""Plan flip: a statement runs by another plan since a moment, and its calls take far longer with it."""

from __future__ import annotations

from hardy_gauge.core.diagnosis.building import Unasked, costs, remedy, statement_of, time_of
from hardy_gauge.core.diagnosis.fact import Fact
from hardy_gauge.core.diagnosis.finding import Finding, Subject
from hardy_gauge.core.evidence.evidence import Evidence, Source, Unknown

SLOWER = 2.0
LEAST_SHARE_OF_CALLS_S = 0.0005


class PlanFlip(Unasked):
    """The same text by two plans within the focus, the second slower, and no index of its tables gone meanwhile."""

    cause = "plan_flip"
    needs: tuple[Source, ...] = ("statements", "samples", "plan_turns")

    def examine(self, evidence: Evidence) -> list[Finding]:
        assert not isinstance(evidence.plan_turns, Unknown)
        changes = [] if isinstance(evidence.changes, Unknown) else list(evidence.changes)
        dropped = [c for c in changes if c.kind == "schema" and "dropped" in c.title]
        found, seen = [], set()
        for turn in evidence.plan_turns:
            work, spent = statement_of(evidence, turn.fingerprint), time_of(evidence, turn.fingerprint)
            if (
                work is None
                or spent is None
                or turn.fingerprint in seen
                or turn.before_s is None
                or turn.after_s is None
            ):
                continue
            if turn.after_s < SLOWER * turn.before_s or turn.after_s - turn.before_s < LEAST_SHARE_OF_CALLS_S:
                continue
            if any(abs(c.at_us - turn.at_us) < 300_000_000 for c in dropped):
                continue  # the plan had to change
            seen.add(turn.fingerprint)
            facts = [
                Fact("time per call by the new plan", turn.after_s, "s", "statement counters", turn.before_s),
                Fact("times as long", turn.after_s / max(turn.before_s, 1e-9), "", "statement counters"),
            ]
            facts += [
                Fact(f"before it: {c.title}", (turn.at_us - c.at_us) / 1e6, "s", "changes")
                for c in changes
                if 0 <= turn.at_us - c.at_us < 900_000_000
            ][:2]
            remedies = [
                remedy(
                    "pin",
                    "Keep the plan that was used before",
                    "It stays when the data changes; look again when it grows.",
                ),
                remedy(
                    "upkeep",
                    "Gather the statistics of its tables anew, in more detail",
                    "Gathering reads a part of each table.",
                ),
            ]
            title = "The plan of a statement changed, and its calls take longer"
            found.append(
                costs(
                    evidence,
                    self.cause,
                    title,
                    Subject("statement", turn.fingerprint, work.text),
                    spent,
                    facts,
                    remedies,
                    0.85,
                )
            )
        return found
