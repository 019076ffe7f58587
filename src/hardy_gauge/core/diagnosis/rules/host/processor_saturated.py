"""Processor saturated: nearly all cores are busy and work queues, and it is not one statement that keeps them so."""

from __future__ import annotations

from hardy_gauge.core.diagnosis.building import Unasked, against_usual, costs, figure_of, remedy
from hardy_gauge.core.diagnosis.fact import Fact
from hardy_gauge.core.diagnosis.finding import Finding, Signal, Subject
from hardy_gauge.core.evidence.evidence import Evidence, Sampled, Samples, Source, Unknown

BUSY = 0.85
MORE = 1.3
ONE_STATEMENT = 0.6
LEAST_SHARE = 0.1


class ProcessorSaturated(Unasked):
    """Busy cores ÷ cores, compared with usual."""

    cause = "processor_saturated"
    needs: tuple[Source, ...] = ("figures", "samples", "host")

    def examine(self, evidence: Evidence) -> list[Finding]:
        samples, host, busy = evidence.samples, evidence.host, figure_of(evidence, "processor_busy_s")
        assert isinstance(samples, Samples) and not isinstance(host, Unknown)
        if (
            busy is None
            or not host.cores
            or busy.value < BUSY * host.cores
            or (busy.ratio is not None and busy.ratio < MORE)
        ):
            return []
        spent = samples.by_family.get("processor", Sampled(0.0, 0.0, 0.0))
        most = max((one.active_sessions for one in samples.by_statement.values()), default=0.0)
        if (
            spent.active_sessions < LEAST_SHARE * samples.active_sessions
            or most > ONE_STATEMENT * samples.active_sessions
        ):
            return []
        queue, others = figure_of(evidence, "run_queue_s"), busy.value - min(spent.active_sessions, busy.value)
        facts = [Fact("cores busy", busy.value, "", "host", float(host.cores))]
        if busy.typical is not None:
            facts.append(Fact("cores busy on days like this", busy.typical.value, "", "host"))
        if queue is not None:
            facts.append(against_usual("threads that run or wait for a core", queue, "", "host"))
        facts.append(Fact("cores busy with other things than calls", others, "", "host and session samples"))
        remedies = [
            remedy("talk", "Look what else runs on the host, and move it elsewhere"),
            remedy("rewrite", "Spend less on the statements that take most of the processor"),
            remedy("capacity", "Give the host more cores"),
        ]
        return [
            costs(
                evidence,
                self.cause,
                "Nearly all cores are busy, and work waits for them",
                Subject("server", evidence.server),
                spent,
                facts,
                remedies,
                0.75,
                Signal("figure", "processor_busy_s"),
            )
        ]
