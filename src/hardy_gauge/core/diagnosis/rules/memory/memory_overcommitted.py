"""Memory overcommitted: the host moves memory to swap and fetches it back while calls wait."""

from __future__ import annotations

from hardy_gauge.core.diagnosis.building import Unasked, costs, figure_of, remedy
from hardy_gauge.core.diagnosis.fact import Fact
from hardy_gauge.core.diagnosis.finding import Finding, Subject
from hardy_gauge.core.evidence.evidence import Evidence, Sampled, Samples, Source, Unknown

LEAST_PAGES_PER_S = 10.0
LEAST_SHARE = 0.02
FULL = 0.97  # of memory: below, what is swapped is the host's own tendency


class MemoryOvercommitted(Unasked):
    """Pages come back from swap, and sessions wait for them."""

    cause = "memory_overcommitted"
    needs: tuple[Source, ...] = ("figures", "samples")

    def examine(self, evidence: Evidence) -> list[Finding]:
        samples, swapped = evidence.samples, figure_of(evidence, "swap_in_pages") or figure_of(evidence, "swap_pages")
        assert isinstance(samples, Samples)
        spent = samples.by_family.get("memory", Sampled(0.0, 0.0, 0.0))
        if (
            swapped is None
            or swapped.value < LEAST_PAGES_PER_S
            or spent.active_sessions < LEAST_SHARE * samples.active_sessions
        ):
            return []
        facts = [
            Fact(
                "pages fetched back from swap",
                swapped.value,
                "/s",
                "host",
                swapped.typical.value if swapped.typical else None,
            )
        ]
        used, host = figure_of(evidence, "memory_used_bytes"), evidence.host
        if used is not None and not isinstance(host, Unknown) and host.memory_bytes:
            facts.append(Fact("memory used", used.value, "B", "host", float(host.memory_bytes)))
            if used.value < FULL * host.memory_bytes:
                return []
        remedies = [
            remedy("setting change", "Make the buffers that every session holds smaller, or allow fewer sessions",
                   "Global + sessions × per session + running statements × per operation must stay below memory."),
            remedy("capacity", "Give the host more memory"),
        ]  # fmt: skip
        return [
            costs(
                evidence,
                self.cause,
                "More memory is promised than there is: the host swaps",
                Subject("server", evidence.server),
                spent,
                facts,
                remedies,
                0.85,
            )
        ]
