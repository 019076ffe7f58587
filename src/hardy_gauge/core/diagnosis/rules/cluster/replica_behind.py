"""Replica behind: what it shows is old, and gets older while log comes in."""

from __future__ import annotations

from hardy_gauge.core.diagnosis.building import Unasked, against_usual, figure_of, remedy, warns
from hardy_gauge.core.diagnosis.fact import Fact
from hardy_gauge.core.diagnosis.finding import Finding, Grade, Impact, Signal, Subject
from hardy_gauge.core.evidence.evidence import Evidence, Source
from hardy_gauge.core.remedies.remedy import Remedy

LAG_S, LAG_ON_AVERAGE_S = 60.0, 20.0
MUCH_S = 900.0
TIMES_USUAL = 5.0
BUSY, WORKING = 0.9, 0.7


def _long(seconds: float) -> str:
    return f"{seconds:.0f} s" if seconds < 120 else f"{seconds / 60:.0f} minutes"


class ReplicaBehind(Unasked):
    """The lag above a minute and far above its usual, with what the process that applies is short of."""

    cause = "replica_behind"
    needs: tuple[Source, ...] = ("figures",)

    def examine(self, evidence: Evidence) -> list[Finding]:
        lag = figure_of(evidence, "replica_lag_s")
        if lag is None or lag.last is None or evidence.role != "replica":
            return []
        behind_s = max(lag.last, lag.value)  # it may catch up now and then
        if lag.last < LAG_S and lag.value < LAG_ON_AVERAGE_S:
            return []
        if lag.typical is not None and behind_s < TIMES_USUAL * max(lag.typical.value, 1.0):
            return []
        usual = lag.usual
        facts = [Fact("behind its primary", behind_s, "s", "counters", usual)]
        waiting = figure_of(evidence, "replica_lag_bytes")
        if waiting is not None and waiting.last is not None:
            facts.append(Fact("log not applied", waiting.last, "B", "counters"))
        words, remedies = self._short_of(evidence, facts)
        grade: Grade = "act" if behind_s >= MUCH_S else "plan"
        return [
            warns(
                self.cause, f"{evidence.server} is {_long(behind_s)} behind its primary{words}", Subject("server", evidence.server),
                grade, facts, remedies, 0.9, Impact(behind_s, behind_s, behind_s, "s"), Signal("figure", "replica_lag_s"),
            )
        ]  # fmt: skip

    def _short_of(self, evidence: Evidence, facts: list[Fact]) -> tuple[str, list[Remedy]]:
        busy, working = figure_of(evidence, "apply_busy_s"), figure_of(evidence, "apply_processor_s")
        latency, oldest = figure_of(evidence, "volume_read_latency_s.data"), figure_of(evidence, "oldest_transaction_s")
        if busy is not None:
            facts.append(Fact("of the time in applying", busy.value, "share", "counters"))
        if latency is not None and latency.ratio is not None and latency.ratio > 2:
            facts.append(against_usual("time of one read", latency, "s", "host"))
            return ": its volume is slow", [remedy("capacity", "Give the replica the storage that its primary has")]
        if busy is not None and working is not None and busy.value >= BUSY:
            if working.value >= WORKING * busy.value:
                return ": the one process that applies is busy all the time", [
                    remedy(
                        "rewrite", "Write less: fewer indexes, larger steps, no rewriting of rows that do not change"
                    ),
                    remedy("capacity", "Give the replica faster cores", "More of them do not help the one process."),
                ]
            return ": the process that applies does not get the cores", [
                remedy("talk", "Move what else runs on its host elsewhere")
            ]
        if oldest is not None and (oldest.last or 0.0) > LAG_S:
            facts.append(Fact("oldest transaction on it", oldest.last or 0.0, "s", "counters"))
            return ": it waits for a long transaction on it", [
                remedy("talk", "Shorten the report, or let it run on a replica that may be behind"),
                remedy("setting change", "Let the log go on and end the report", "Whoever runs it has to begin again."),
            ]
        return "", [remedy("talk", "Look at its volume, its cores and what runs on it")]
