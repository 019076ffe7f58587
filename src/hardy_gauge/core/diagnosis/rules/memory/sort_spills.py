"""Sorts that spill: sorts and hashes write temporary files, since their memory is too small for what they sort."""

from __future__ import annotations

from collections.abc import Mapping

from hardy_gauge.core.diagnosis.building import (
    Unasked,
    bytes_of,
    change_of,
    costs,
    figure_of,
    in_unit,
    perhaps_all,
    remedy,
    setting_of,
    time_of,
)
from hardy_gauge.core.diagnosis.fact import Fact
from hardy_gauge.core.diagnosis.finding import Finding, Signal, Subject
from hardy_gauge.core.evidence.evidence import Evidence, Sampled, Samples, Source, StatementWork, Unknown
from hardy_gauge.core.remedies.remedy import Remedy

LEAST_BYTES_PER_S = 1e6
LEAST_SHARE = 0.02
TIMES_USUAL = 1.5
FAMILY = "temporary space"
STEP, PART = 4.0, 0.25
OF_A_STATEMENT = 0.1  # of the server's time in the statement that writes most of them


class SortSpills(Unasked):
    """Temporary bytes above the usual, or a share of the time spent on them."""

    cause = "sort_spills"
    needs: tuple[Source, ...] = ("figures", "samples")

    def examine(self, evidence: Evidence) -> list[Finding]:
        samples, written = evidence.samples, figure_of(evidence, "temporary_bytes")
        assert isinstance(samples, Samples)
        spent = samples.by_family.get(FAMILY, Sampled(0.0, 0.0, 0.0))
        heaviest = _heaviest(evidence)
        felt = spent.active_sessions >= LEAST_SHARE * samples.active_sessions
        if (
            heaviest is not None and not felt
        ):  # engines whose sorts wait for nothing while they write: the statement's time tells
            spent = time_of(evidence, heaviest.fingerprint) or spent
            felt = spent.active_sessions >= OF_A_STATEMENT * samples.active_sessions
        if written is None or written.value < LEAST_BYTES_PER_S or not felt:
            return []
        if written.ratio is not None and written.ratio < TIMES_USUAL:
            return []
        usual = written.usual
        facts = [Fact("temporary bytes written", written.value, "B/s", "counters", usual)]
        if heaviest is not None and heaviest.temporary_pages:
            facts.append(
                Fact(
                    "temporary pages for each call", heaviest.temporary_pages / heaviest.calls, "", "statement counters"
                )
            )
        remedies = [
            _more(evidence),
            remedy("rewrite", "Sort fewer rows or narrower ones, or let an index give the order"),
        ]  # fmt: skip
        return [
            costs(
                evidence,
                self.cause,
                "Sorts and hashes go to temporary files",
                Subject("statement", heaviest.fingerprint, heaviest.text)
                if heaviest
                else Subject("server", evidence.server),
                spent,
                facts,
                remedies,
                0.75,
                Signal("figure", "temporary_bytes"),
                wins=perhaps_all(spent, 1.0, "time in sorts and hashes that spill"),
            )
        ]


def _heaviest(evidence: Evidence) -> StatementWork | None:
    """The statement that writes most temporary pages, where statements report them."""
    works = evidence.statements.values() if isinstance(evidence.statements, Mapping) else ()
    return max(
        (one for one in works if one.temporary_pages and one.calls),
        key=lambda one: one.temporary_pages or 0.0,
        default=None,
    )


def _more(evidence: Evidence) -> Remedy:
    """Four times as much, as long as a sort of every active session would fit into a quarter of memory, where that is known."""
    words = "Give a sort more memory, for the services that need it rather than for all"
    caution = "It is used by every sort that runs: sessions × sorts must fit into memory."
    unknown = "How much memory the machine has is not known here: make sure before it is given to all."
    setting, samples = setting_of(evidence, "sort_memory_bytes"), evidence.samples
    memory = None if isinstance(evidence.host, Unknown) else evidence.host.memory_bytes
    size = bytes_of(setting)
    if setting is None or not size or not isinstance(samples, Samples):
        return remedy("setting change", words, caution)
    wanted = STEP * size
    if memory:
        wanted = min(wanted, PART * memory / max(samples.active_sessions, 1.0))
    if wanted <= size:
        return remedy("setting change", words, caution)
    cautions = [caution] if memory else [caution, unknown]
    return change_of(evidence, setting, in_unit(setting, wanted), words, *cautions)
