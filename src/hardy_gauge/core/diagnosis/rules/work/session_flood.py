"""Session flood: the limit of sessions is near or reached, and calls find none free."""

from __future__ import annotations

from hardy_gauge.core.diagnosis.building import Unasked, figure_of, grade_by_failures, remedy, warns
from hardy_gauge.core.diagnosis.fact import Fact
from hardy_gauge.core.diagnosis.finding import Finding, Impact, Signal, Subject
from hardy_gauge.core.evidence.evidence import Evidence, Source

MANY, MORE = 2.0, 1.3  # sessions ÷ usual
NEAR = 0.9
REFUSED_PER_S = 0.05


class SessionFlood(Unasked):
    """Open ÷ limit, and refused calls; more sessions than usual, or it was always so near."""

    cause = "session_flood"
    needs: tuple[Source, ...] = ("figures",)

    def examine(self, evidence: Evidence) -> list[Finding]:
        open_, limit, refused = (
            figure_of(evidence, n) for n in ("sessions_open", "sessions_limit", "sessions_refused")
        )
        if open_ is None or limit is None or not limit.value:
            return []
        share, lost = (open_.last or open_.value) / limit.value, refused.value if refused is not None else 0.0
        usual = open_.typical
        many = usual is not None and usual.value > 0 and open_.value >= MANY * usual.value
        more = usual is None or open_.value > MORE * usual.value or lost >= REFUSED_PER_S
        if not many and (share < NEAR or not more):
            return []
        facts = [
            Fact("sessions open", open_.last or open_.value, "sessions", "counters", usual.value if usual else None),
            Fact("of those that may be", share, "share", "counters", limit.value),
        ]
        facts += [Fact("refused", lost, "/s", "counters")] if refused is not None else []
        calls = figure_of(evidence, "calls")
        failed = lost / (lost + calls.value) if calls is not None and lost else 0.0
        grade = grade_by_failures(failed) if lost >= REFUSED_PER_S else "plan"
        remedies = [
            remedy("talk", "Let applications share sessions: a pool with as many as the server can work on at once"),
            remedy(
                "setting change", "Allow more sessions", "Each takes memory, and more work at once is not done sooner."
            ),
        ]
        count = lost * max(evidence.covered_s, 1.0)
        return [
            warns(
                self.cause, "Nearly all sessions that may be are open" if share >= NEAR else "Far more sessions are open than usual", Subject("server", evidence.server), grade, facts, remedies, 0.85,
                Impact(count, count, count, "calls"), Signal("figure", "sessions_open"),
            )
        ]  # fmt: skip
