"""Sorts that spill: sorts and hashes write temporary files, since their memory is too small for what they sort."""

from __future__ import annotations

from hardy_gauge.core.diagnosis.building import Unasked, costs, figure_of, remedy
from hardy_gauge.core.diagnosis.fact import Fact
from hardy_gauge.core.diagnosis.finding import Finding, Signal, Subject
from hardy_gauge.core.evidence.evidence import Evidence, Sampled, Samples, Source

LEAST_BYTES_PER_S = 1e6
LEAST_SHARE = 0.02
TIMES_USUAL = 1.5
FAMILY = "temporary space"


class SortSpills(Unasked):
    """Temporary bytes above the usual, or a share of the time spent on them."""

    cause = "sort_spills"
    needs: tuple[Source, ...] = ("figures", "samples")

    def examine(self, evidence: Evidence) -> list[Finding]:
        samples, written = evidence.samples, figure_of(evidence, "temporary_bytes")
        assert isinstance(samples, Samples)
        spent = samples.by_family.get(FAMILY, Sampled(0.0, 0.0, 0.0))
        if (
            written is None
            or written.value < LEAST_BYTES_PER_S
            or spent.active_sessions < LEAST_SHARE * samples.active_sessions
        ):
            return []
        if written.ratio is not None and written.ratio < TIMES_USUAL:
            return []
        usual = written.typical.value if written.typical is not None else None
        facts = [Fact("temporary bytes written", written.value, "B/s", "counters", usual)]
        remedies = [
            remedy("setting change", "Give a sort more memory, for the services that need it rather than for all",
                   "It is used by every sort that runs: sessions × sorts must fit into memory."),
            remedy("rewrite", "Sort fewer rows or narrower ones, or let an index give the order"),
        ]  # fmt: skip
        return [
            costs(
                evidence,
                self.cause,
                "Sorts and hashes go to temporary files",
                Subject("server", evidence.server),
                spent,
                facts,
                remedies,
                0.75,
                Signal("figure", "temporary_bytes"),
            )
        ]
