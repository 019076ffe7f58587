"""Clock off: the server's clock differs from the recorder's by more than the network explains."""

from __future__ import annotations

from hardy_gauge.core.diagnosis.building import Unasked, remedy, warns
from hardy_gauge.core.diagnosis.fact import Fact
from hardy_gauge.core.diagnosis.finding import Finding, Subject
from hardy_gauge.core.evidence.evidence import Evidence, Source

LEAST_S = 5.0  # common practice: kept clocks agree within milliseconds


class ClockOff(Unasked):
    """Its times cannot be laid beside those of other servers."""

    cause = "clock_off"
    needs: tuple[Source, ...] = ("clock_skew_s",)

    def examine(self, evidence: Evidence) -> list[Finding]:
        skew = evidence.clock_skew_s
        if not isinstance(skew, float) or abs(skew) < LEAST_S:
            return []
        facts = [Fact("ahead of the recorder" if skew > 0 else "behind the recorder", abs(skew), "s", "clock")]
        remedies = [
            remedy(
                "talk",
                "Let the host keep its clock by a time server",
                "A clock that is set back repeats its times: slew it.",
            )
        ]
        title = f"The clock of {evidence.server} is {abs(skew):.0f} s {'ahead' if skew > 0 else 'behind'}"
        return [warns(self.cause, title, Subject("server", evidence.server), "plan", facts, remedies, 0.9)]
