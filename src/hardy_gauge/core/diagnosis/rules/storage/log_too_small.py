"""Log too small: checkpoints begin because the log has reached its size, and follow each other closely."""

from __future__ import annotations

from hardy_gauge.core.diagnosis.building import Unasked, figure_of, remedy, warns
from hardy_gauge.core.diagnosis.fact import Fact
from hardy_gauge.core.diagnosis.finding import Finding, Grade, Subject
from hardy_gauge.core.evidence.evidence import Evidence, Source

FORCED = 0.8
# seconds between forced checkpoints: common practice, minutes to tens of minutes
OFTEN_S, VERY_OFTEN_S = 150.0, 60.0


class LogTooSmall(Unasked):
    """Forced checkpoints ÷ all, and how often."""

    cause = "log_too_small"
    needs: tuple[Source, ...] = ("figures",)

    def examine(self, evidence: Evidence) -> list[Finding]:
        all_of_them, forced, log = (figure_of(evidence, n) for n in ("checkpoints", "checkpoints_forced", "log_bytes"))
        if all_of_them is None or forced is None or not forced.value:
            return []
        every_s, share = 1 / forced.value, forced.value / max(all_of_them.value, 1e-12)
        if share < FORCED or every_s > OFTEN_S:
            return []
        facts = [
            Fact("between two checkpoints", every_s, "s", "counters"),
            Fact("forced by the size of the log", share, "share", "counters"),
        ]
        if log is not None:
            facts.append(Fact("log written", log.value, "B/s", "counters", log.typical.value if log.typical else None))
        grade: Grade = "plan" if every_s <= VERY_OFTEN_S else "note"
        remedies = [
            remedy("setting change", "Let the log be larger, so that checkpoints come by time",
                   "Starting again after a crash takes longer, and the log takes more room on its volume."),
        ]  # fmt: skip
        title = f"The log is so small that it forces a checkpoint each {every_s:.0f} s"
        return [warns(self.cause, title, Subject("server", evidence.server), grade, facts, remedies, 0.85)]
