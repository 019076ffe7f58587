"""Cache too small, and a cold cache: more of the same pages are read than on days like this.

As many pages are requested as usual, and more of them have to be read. After a start that passes; otherwise the cache does not hold
what is asked for again and again.
"""

from __future__ import annotations

from collections.abc import Mapping

from hardy_gauge.core.diagnosis.building import (
    PILES_UP,
    Unasked,
    against_usual,
    bytes_of,
    change_of,
    costs,
    figure_of,
    in_unit,
    perhaps_all,
    remedy,
    setting_of,
    since,
    started,
    time_of,
)
from hardy_gauge.core.diagnosis.fact import Fact
from hardy_gauge.core.diagnosis.finding import Finding, Signal, Subject
from hardy_gauge.core.evidence.evidence import Evidence, Sampled, Samples, Source, Unknown
from hardy_gauge.core.evidence.sources import ChangeFact
from hardy_gauge.core.remedies.remedy import Remedy

MORE_READ, AS_MANY_ASKED = 1.5, 1.4
LEAST_SHARE = 0.05
ONE_STATEMENT = 0.6  # of the server's time in one statement: then it is that statement
NEW_WORK = 0.1  # of the server's time in a statement that was not called before
SMALL, MOST = 0.125, 0.5  # of memory
CACHE_WORDS = ("cache", "buffer", "pool")

Before = tuple[list[ChangeFact], list[ChangeFact]]  # starts of the server, and changes of its cache, around the focus


class _MoreReads(Unasked):
    cause = ""
    needs: tuple[Source, ...] = ("figures", "samples")

    def examine(self, evidence: Evidence) -> list[Finding]:
        samples, read, asked = (
            evidence.samples,
            figure_of(evidence, "pages_read"),
            figure_of(evidence, "pages_requested"),
        )
        assert isinstance(samples, Samples)
        spent = samples.by_family.get("data read", Sampled(0.0, 0.0, 0.0))
        written = samples.by_family.get("data write", Sampled(0.0, 0.0, 0.0))
        both = Sampled(
            spent.active_sessions + written.active_sessions, spent.low + written.low, spent.high + written.high
        )
        if (
            read is None
            or read.ratio is None
            or read.ratio < MORE_READ
            or both.active_sessions < LEAST_SHARE * samples.active_sessions
        ):
            return []
        if asked is not None and asked.ratio is not None and asked.ratio > AS_MANY_ASKED:
            return []
        changes = evidence.changes if isinstance(evidence.changes, list) else []
        starts = started(evidence)
        resized = [c for c in changes if c.kind == "setting" and any(word in c.object.lower() for word in CACHE_WORDS)]
        most = max((one.active_sessions for one in samples.by_statement.values()), default=0.0)
        if most > ONE_STATEMENT * samples.active_sessions and not (starts or resized):
            return []
        if not (starts or resized) and any(
            work.known_before is False and (spent_on := time_of(evidence, work.fingerprint)) is not None
            and spent_on.active_sessions >= NEW_WORK * samples.active_sessions
            for work in (evidence.statements.values() if isinstance(evidence.statements, Mapping) else ())
        ):  # fmt: skip
            return []  # something new reads, and pushes out what others want
        facts = [against_usual("pages read", read, "/s", "counters")]
        if asked is not None:
            facts.append(against_usual("pages requested", asked, "/s", "counters"))
        return self.told(evidence, both, facts, (starts, resized))

    def told(self, evidence: Evidence, spent: Sampled, facts: list[Fact], before: Before) -> list[Finding]:
        raise NotImplementedError


class CacheTooSmall(_MoreReads):
    """The cache was made smaller, or no longer holds what is asked for."""

    cause = "cache_too_small"

    def told(self, evidence: Evidence, spent: Sampled, facts: list[Fact], before: Before) -> list[Finding]:
        starts, resized = before
        if starts and not resized:
            return []
        facts += [since(evidence, change) for change in resized[:1]]
        remedies = [_larger(evidence)]
        title = (
            "More pages are read for no more requests: the buffer cache does not hold what is asked for again and again"
        )
        return [
            costs(
                evidence,
                self.cause,
                title,
                Subject("server", evidence.server),
                spent,
                facts,
                remedies,
                0.85 if resized else 0.6,
                Signal("moment", at_us=resized[0].at_us) if resized else Signal("figure", "pages_read"),
                wins=_fewer_reads(evidence, spent),
            )
        ]


def _fewer_reads(evidence: Evidence, spent: Sampled) -> Fact | None:
    """The reads above those of days like this cost their part of the time; a step that is too small wins back less."""
    read = figure_of(evidence, "pages_read")
    if read is None or not read.ratio:
        return None
    return perhaps_all(spent, 1 - 1 / read.ratio, "pages read against days like this", PILES_UP)


def _larger(evidence: Evidence) -> Remedy:
    """Twice as large while it is a small part of memory, else half as large again, up to half of memory."""
    words = "Make the buffer cache larger, in small steps"
    caution = "The system's own cache gets as much smaller; pages held twice can make it worse. It takes a restart on many engines."
    cache, memory = (
        setting_of(evidence, "buffer_cache_bytes"),
        None if isinstance(evidence.host, Unknown) else evidence.host.memory_bytes,
    )
    size = bytes_of(cache)
    if cache is None or not size or not memory:
        return remedy("setting change", words, caution)
    wanted = min(size * (2.0 if size < SMALL * memory else 1.5), MOST * memory)
    if wanted <= size:
        return remedy("capacity", "Give the host more memory: the buffer cache has its half of it")
    return change_of(evidence, cache, in_unit(cache, wanted), words, caution)


class ColdCache(_MoreReads):
    """The server was started a short while ago."""

    cause = "cold_cache_after_failover"

    def told(self, evidence: Evidence, spent: Sampled, facts: list[Fact], before: Before) -> list[Finding]:
        starts, resized = before
        if not starts or resized:
            return []
        facts += [since(evidence, starts[0])]
        remedies = [
            remedy("operation", "Wait: the cache fills with what is asked for"),
            remedy("setting change", "Let the server read its cache back in after a start", "Starting takes longer."),
        ]
        title = "The cache is cold since the server started"
        return [
            costs(
                evidence,
                self.cause,
                title,
                Subject("server", evidence.server),
                spent,
                facts,
                remedies,
                0.8,
                Signal("moment", at_us=starts[0].at_us),
            )
        ]
