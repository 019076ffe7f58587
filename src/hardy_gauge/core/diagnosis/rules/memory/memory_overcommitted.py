"""Memory overcommitted, and a cache too large: the host moves memory to swap and fetches it back while calls wait.

Where the buffer cache alone takes most of the memory, it is the cache: what the system would keep itself has no room left.
"""

from __future__ import annotations

from collections.abc import Mapping

from hardy_gauge.core.diagnosis.building import (
    PILES_UP,
    Unasked,
    bytes_of,
    change_of,
    costs,
    figure_of,
    in_unit,
    perhaps_all,
    remedy,
    setting_of,
)
from hardy_gauge.core.diagnosis.fact import Fact
from hardy_gauge.core.diagnosis.finding import Finding, Signal, Subject
from hardy_gauge.core.evidence.evidence import Evidence, Sampled, Samples, Source, Unknown
from hardy_gauge.core.remedies.remedy import Remedy

LEAST_PAGES_PER_S = 10.0
LEAST_SHARE = 0.02
FULL = 0.95  # of memory: below, what is swapped is the host's own tendency
MOST_CACHE = (
    0.6  # of memory for the buffer cache; common practice: a quarter to a half where the system caches pages too
)

FITS, MOST_LESS = (
    0.85,
    0.2,
)  # of memory that may be promised; a setting is not made smaller than this part of it in one step
CACHE_STEP = 1.5


class MemoryOvercommitted(Unasked):
    """Pages come back from swap, and sessions wait for them."""

    cause = "memory_overcommitted"
    needs: tuple[Source, ...] = ("figures", "samples")
    of_the_cache = False
    title = "More memory is promised than there is: the host swaps"

    def examine(self, evidence: Evidence) -> list[Finding]:
        samples, name = evidence.samples, "swap_in_pages"
        assert isinstance(samples, Samples) and isinstance(evidence.figures, Mapping)
        if name not in evidence.figures:
            name = "swap_pages"
        swapped = figure_of(evidence, name)
        spent = samples.by_family.get("memory", Sampled(0.0, 0.0, 0.0))
        if (
            swapped is None
            or swapped.value < LEAST_PAGES_PER_S
            or spent.active_sessions < LEAST_SHARE * samples.active_sessions
        ):
            return []
        usual = swapped.usual
        facts = [Fact("pages fetched back from swap", swapped.value, "/s", "host", usual)]
        used, host = figure_of(evidence, "memory_used_bytes"), evidence.host
        memory = None if isinstance(host, Unknown) else host.memory_bytes
        if used is not None and memory:
            facts.append(Fact("memory used", used.value, "B", "host", float(memory)))
            if used.value < FULL * memory:
                return []
        cache = setting_of(evidence, "buffer_cache_bytes")
        size = bytes_of(cache) or 0.0
        if (bool(memory) and size > MOST_CACHE * float(memory or 0)) != self.of_the_cache:
            return []
        if size:
            facts.append(Fact("buffer cache", size, "B", "settings", float(memory) if memory else None))
        return [
            costs(
                evidence, self.cause, self.title, Subject("server", evidence.server), spent, facts, self.remedies(evidence, memory), 0.85,
                Signal("figure", name), wins=perhaps_all(spent, 1.0, "time that waits for memory", PILES_UP),
            )
        ]  # fmt: skip

    def remedies(self, evidence: Evidence, memory: int | None) -> list[Remedy]:
        words = "Make the buffers that every session holds smaller, or allow fewer sessions"
        caution = "Global + sessions × per session + running statements × per operation must stay below memory."
        each, cache = setting_of(evidence, "session_memory_bytes"), bytes_of(setting_of(evidence, "buffer_cache_bytes"))
        open_, size = figure_of(evidence, "sessions_open"), bytes_of(each)
        first = remedy("setting change", words, caution)
        if each is not None and size and memory and cache is not None and open_ is not None and open_.value >= 1:
            fits = (FITS * memory - cache) / open_.value
            if MOST_LESS * size <= fits < size:
                first = change_of(evidence, each, in_unit(each, fits), words, caution)
        return [first, remedy("capacity", "Give the host more memory")]


class CacheTooLarge(MemoryOvercommitted):
    """The buffer cache leaves the sessions and the system no room."""

    cause = "cache_too_large"
    of_the_cache = True
    title = "The buffer cache takes so much memory that the host swaps"

    def remedies(self, evidence: Evidence, memory: int | None) -> list[Remedy]:
        words = "Make the buffer cache smaller, in small steps"
        caution = "More pages are asked of the system's own cache, which has more room then. It takes a restart on many engines."
        cache = setting_of(evidence, "buffer_cache_bytes")
        size = bytes_of(cache)
        first = remedy("setting change", words, caution)
        if cache is not None and size:
            first = change_of(evidence, cache, in_unit(cache, size / CACHE_STEP), words, caution)
        return [first, remedy("capacity", "Give the host more memory")]
