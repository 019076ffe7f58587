"""Log too small: checkpoints begin because the log has reached its size, and follow each other closely."""

from __future__ import annotations

from dataclasses import replace

from hardy_gauge.core.diagnosis.building import (
    Unasked,
    against_usual,
    bytes_of,
    change_of,
    figure_of,
    in_unit,
    remedy,
    setting_of,
    warns,
)
from hardy_gauge.core.diagnosis.fact import Fact
from hardy_gauge.core.diagnosis.finding import Finding, Grade, Signal, Subject
from hardy_gauge.core.evidence.evidence import Evidence, Samples, Source
from hardy_gauge.core.evidence.sources import RecordedFigure
from hardy_gauge.core.remedies.remedy import Remedy

FORCED = 0.8
# seconds between forced checkpoints: common practice, minutes to tens of minutes
OFTEN_S, VERY_OFTEN_S = 150.0, 60.0
TIMES_USUAL = 2.0
ROOM, STEP = 1.5, 4.0  # of what is written in an interval; the largest step
FEWER_IMAGES, SLACK = 4.0, 0.25  # of the log at most may be whole pages after each checkpoint; an interval is not exact
WRITING, FELT = ("data write", "log write"), 0.5  # of the server's time


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
            facts.append(against_usual("log written", log, "B/s", "counters"))
        grade: Grade = "plan" if every_s <= VERY_OFTEN_S and self._felt(evidence, forced) else "note"
        remedies = [self._larger(evidence, log, every_s)]
        title = f"The log is so small that it forces a checkpoint each {every_s:.0f} s"
        return [
            warns(
                self.cause,
                title,
                Subject("server", evidence.server),
                grade,
                facts,
                remedies,
                0.85 if grade == "plan" else 0.6,
                signal=Signal("figure", "checkpoints_forced"),
            )
        ]

    def _larger(self, evidence: Evidence, log: RecordedFigure | None, every_s: float) -> Remedy:
        """What is written in one interval and half as much again, at most four times as large in one step."""
        words = "Let the log be larger, so that checkpoints come by time"
        caution = "Starting again after a crash takes longer, and the log takes more room on its volume."
        capacity, interval = setting_of(evidence, "log_capacity_bytes"), setting_of(evidence, "checkpoint_interval_s")
        size = bytes_of(capacity)
        if capacity is None or size is None or log is None or interval is None or isinstance(interval.value, str):
            return remedy("setting change", words, caution)
        wanted = max(min(ROOM * log.value * float(interval.value), STEP * size), size * ROOM)
        larger = change_of(evidence, capacity, in_unit(capacity, wanted), words, caution)
        return replace(larger, expected=[self._apart(every_s, wanted / size, float(interval.value))])

    def _apart(self, every_s: float, times: float, interval_s: float) -> Fact:
        """How far checkpoints are apart then: as much further as the log is larger, and more, since fewer page images are written; a
        checkpoint by time comes first where that is longer.
        """
        least, most = min(every_s * times, interval_s), min(every_s * times * FEWER_IMAGES, interval_s)
        return Fact(
            "between two checkpoints", least, "s", "log capacity ÷ log written", every_s, (1 - SLACK) * least, most
        )

    def _felt(self, evidence: Evidence, forced: RecordedFigure) -> bool:
        """It was not always so, or calls wait for what checkpoints write: what has always been and costs nothing is a note."""
        if forced.typical is not None and forced.value > TIMES_USUAL * forced.typical.value:
            return True
        if not isinstance(evidence.samples, Samples):
            return False
        writing = sum(evidence.samples.by_family[f].active_sessions for f in WRITING if f in evidence.samples.by_family)
        return writing >= FELT * evidence.samples.active_sessions
