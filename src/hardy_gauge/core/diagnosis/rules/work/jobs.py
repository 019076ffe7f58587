"""Jobs in the rush: a backup, or gathering statistics, at an hour at which it does not run on days like this."""

from __future__ import annotations

from hardy_gauge.core.diagnosis.building import Unasked, figure_of, remedy, warns
from hardy_gauge.core.diagnosis.fact import Fact
from hardy_gauge.core.diagnosis.finding import Finding, Grade, Signal, Subject
from hardy_gauge.core.evidence.evidence import Evidence, Source
from hardy_gauge.core.evidence.sources import RunningJob

LEAST_SESSIONS = 0.1  # on average over the focus
MORE_READ, SLOWER = 1.3, 1.3


class JobInRush(Unasked):
    """A backup reads the database while people work."""

    cause = "backup_in_rush"
    needs: tuple[Source, ...] = ("jobs",)
    words: tuple[str, ...] = ("backup", "dump")
    title = "A backup reads the database while people work"

    def examine(self, evidence: Evidence) -> list[Finding]:
        assert isinstance(evidence.jobs, list)
        mine = [one for one in evidence.jobs if self._is_mine(one) and not one.usual and one.sessions >= LEAST_SESSIONS]
        return [self._one(evidence, max(mine, key=lambda one: one.sessions))] if mine else []

    def _is_mine(self, job: RunningJob) -> bool:
        text = f"{job.text} {job.user} {job.service}".lower()
        return any(word in text for word in self.words)

    def _one(self, evidence: Evidence, job: RunningJob) -> Finding:
        facts = [
            Fact("its sessions", job.sessions, "sessions", "session samples"),
            Fact("since it began", (evidence.focus.until_us - job.since_us) / 1e6, "s", "session samples"),
        ]
        felt = False
        for name, title, unit, least in (
            ("pages_read", "pages read", "/s", MORE_READ), ("volume_read_latency_s.data", "time of one read", "s", SLOWER),
        ):  # fmt: skip
            figure = figure_of(evidence, name)
            if figure is not None and figure.typical is not None:
                facts.append(Fact(title, figure.value, unit, "counters", figure.typical.value))
                felt = felt or (figure.ratio or 0.0) >= least
        grade: Grade = "plan" if felt else "note"
        remedies = [
            remedy("talk", "Move it to the hours in which nobody works, or let it read more slowly",
                   "Slower, it takes longer and holds back upkeep for as long."),
        ]  # fmt: skip
        subject, moment = Subject("statement", job.fingerprint, job.text), Signal("moment", at_us=job.since_us)
        return warns(self.cause, self.title, subject, grade, facts, remedies, 0.8, signal=moment)


class StatisticsJobInRush(JobInRush):
    """Statistics are gathered while people work."""

    cause = "statistics_job_in_rush"
    words = ("analyze", "update statistics", "gather statistics")
    title = "Statistics are gathered while people work"
