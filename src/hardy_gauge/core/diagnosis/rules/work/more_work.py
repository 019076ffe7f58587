"""What comes from the applications: a statement that is new, is called far more often, or fetches far more rows than it did.

All compare with the typical day, and are of one statement: when everything is called more often, it is the day that is busy.
"""

from __future__ import annotations

import re
from collections.abc import Iterator, Mapping

from hardy_gauge.core.diagnosis.building import Unasked, costs, remedy, since
from hardy_gauge.core.diagnosis.fact import Fact
from hardy_gauge.core.diagnosis.finding import Finding, Subject
from hardy_gauge.core.evidence.evidence import Evidence, Sampled, Samples, Source, StatementWork

LEAST_SHARE = 0.05
MORE_CALLS, SAME_TIME = 3.0, 1.6
ALL_BUSIER = 0.5  # a statement's growth ÷ that of all calls must be above its inverse
MORE_ROWS, LEAST_ROWS, LEAST_WIDE = 4.0, 50.0, 5.0
FROM = re.compile(r"\bfrom\s+([\w.\"]+)", re.IGNORECASE)
FEWER = 0.8
MUCH = 0.2  # of the server's time, from which on something is told though nothing is known of other days
MOST_CALLS, OFTEN, SHORT_S = 0.5, 200.0, 0.002
# jobs of their own: what they ask of the server is not an application's statement
JOB = re.compile(r"\s*(copy|backup|analyze|vacuum|alter|create|drop|reindex)\b", re.IGNORECASE)
EVERY_COLUMN = re.compile(r"\s*select\s+(distinct\s+)?([\w\"]+\.)?\*", re.IGNORECASE)


class _OfApplications(Unasked):
    cause = ""
    needs: tuple[Source, ...] = ("statements", "samples")

    def examine(self, evidence: Evidence) -> list[Finding]:
        statements, samples = evidence.statements, evidence.samples
        assert isinstance(statements, Mapping) and isinstance(samples, Samples)
        found = []
        for work in statements.values():
            spent = samples.by_statement.get(work.fingerprint)
            if spent is None or spent.active_sessions < LEAST_SHARE * samples.active_sessions or not work.calls:
                continue
            found += list(self.one(evidence, work, spent))
        return found

    def one(self, evidence: Evidence, work: StatementWork, spent: Sampled) -> Iterator[Finding]:
        raise NotImplementedError

    def released(self, evidence: Evidence) -> list[Fact]:
        changes = evidence.changes if isinstance(evidence.changes, list) else []
        return [since(evidence, c) for c in changes if c.kind == "software"][:2]


class NewStatement(_OfApplications):
    """Not called on days like this before."""

    cause = "new_statement"

    def one(self, evidence: Evidence, work: StatementWork, spent: Sampled) -> Iterator[Finding]:
        if (
            work.known_before is not False
            or JOB.match(work.text)
            or (is_wide(work) and _takes_the_place(evidence, work))
        ):
            return
        facts = [Fact("calls", work.calls / max(evidence.covered_s, 1.0), "/s", "statement counters")]
        facts += [Fact("time per call", work.time_s / work.calls, "s", "statement counters"), *self.released(evidence)]
        remedies = [remedy("talk", f"Ask {work.service or 'the application'} what it is for, and look at its plan")]
        yield costs(
            evidence, self.cause, "A statement that was not called before", Subject("statement", work.fingerprint, work.text), spent, facts,
            remedies, 0.8,
        )  # fmt: skip


class WideSelect(_OfApplications):
    """Asks for every column, and for many rows: new, or with far more rows than it had."""

    cause = "wide_select"

    def one(self, evidence: Evidence, work: StatementWork, spent: Sampled) -> Iterator[Finding]:
        typical, rows = work.typical_rows_per_call, work.rows_returned / work.calls
        grown = typical is not None and rows > MORE_ROWS * max(typical.value, 1.0)
        instead = work.known_before is False and _takes_the_place(evidence, work)
        # nothing is known of other days: what takes so much of the time is told, less surely
        alone = (
            work.known_before is None
            and rows >= LEAST_ROWS / 2
            and spent.active_sessions >= MUCH / 2 * _active(evidence)
        )
        if not is_wide(work) or not (instead or grown or alone):
            return
        facts = [
            Fact("rows for each call", rows, "rows", "statement counters", typical.value if typical else None),
            Fact("time per call", work.time_s / work.calls, "s", "statement counters"),
            *self.released(evidence),
        ]
        remedies = [
            remedy("rewrite", "Name the columns that are used, and say how many rows at most", "A column that is needed later must be added."),
        ]  # fmt: skip
        title = "A statement asks for every column and many rows"
        yield costs(
            evidence,
            self.cause,
            title,
            Subject("statement", work.fingerprint, work.text),
            spent,
            facts,
            remedies,
            0.5 if alone else 0.8,
        )


class ManySmallCalls(_OfApplications):
    """Called far more often, each call as long as ever."""

    cause = "many_small_calls"

    def one(self, evidence: Evidence, work: StatementWork, spent: Sampled) -> Iterator[Finding]:
        typical, each = work.typical_calls_per_s, work.typical_time_per_call_s
        rate = work.calls / max(evidence.covered_s, 1.0)
        if work.known_before is None:
            yield from self._alone(evidence, work, spent, rate)
            return
        if (
            typical is None
            or typical.value <= 0
            or each is None
            or rate < MORE_CALLS * typical.value
            or rate <= typical.high
        ):
            return
        per_call = work.time_s / work.calls
        if per_call > SAME_TIME * each.value or _all_ratio(evidence) > ALL_BUSIER * rate / typical.value:
            return
        facts = [
            Fact("calls", rate, "/s", "statement counters", typical.value),
            Fact("time per call", per_call, "s", "statement counters", each.value),
            *self.released(evidence),
        ]
        remedies = [
            remedy(
                "rewrite",
                "Ask once for all rows that are wanted, instead of once for each",
                "The answer is larger and comes at once.",
            )
        ]
        yield costs(
            evidence, self.cause, f"Called {rate / typical.value:.0f} times as often as on days like this", Subject("statement", work.fingerprint, work.text),
            spent, facts, remedies, 0.8,
        )  # fmt: skip

    def _alone(self, evidence: Evidence, work: StatementWork, spent: Sampled, rate: float) -> Iterator[Finding]:
        """Nothing is known of other days: one statement by its key has most of all calls, each short, and much of the time."""
        assert isinstance(evidence.statements, Mapping)
        of_all = work.calls / max(sum(one.calls for one in evidence.statements.values()), 1.0)
        per_call, rows = work.time_s / work.calls, work.rows_returned / work.calls
        if (
            of_all < MOST_CALLS
            or rate < OFTEN
            or per_call > SHORT_S
            or rows > 1.5
            or spent.active_sessions < MUCH * _active(evidence)
        ):
            return
        facts = [
            Fact("calls", rate, "/s", "statement counters"), Fact("of all calls", of_all, "share", "statement counters"),
            Fact("time per call", per_call, "s", "statement counters"), Fact("rows for each call", rows, "rows", "statement counters"),
        ]  # fmt: skip
        remedies = [
            remedy(
                "rewrite",
                "Ask once for all rows that are wanted, instead of once for each",
                "The answer is larger and comes at once.",
            )
        ]
        subject = Subject("statement", work.fingerprint, work.text)
        yield costs(
            evidence,
            self.cause,
            f"Called {rate:,.0f} times a second, for a row each time",
            subject,
            spent,
            facts,
            remedies,
            0.5,
        )


class OverFetch(_OfApplications):
    """Far more rows for each call."""

    cause = "over_fetch"

    def one(self, evidence: Evidence, work: StatementWork, spent: Sampled) -> Iterator[Finding]:
        typical, rows = work.typical_rows_per_call, work.rows_returned / work.calls
        if (
            is_wide(work)
            or typical is None
            or rows < LEAST_ROWS
            or rows < MORE_ROWS * max(typical.value, 1.0)
            or rows <= typical.high
        ):
            return
        facts = [
            Fact("rows for each call", rows, "rows", "statement counters", typical.value),
            *self.released(evidence),
        ]
        remedies = [
            remedy(
                "rewrite",
                "Ask for the rows that are used, and say how many at most",
                "What is shown page by page needs an order.",
            )
        ]
        yield costs(
            evidence, self.cause, f"Each call fetches {rows / max(typical.value, 1.0):.0f} times as many rows as on days like this",
            Subject("statement", work.fingerprint, work.text), spent, facts, remedies, 0.8,
        )  # fmt: skip


def _active(evidence: Evidence) -> float:
    return evidence.samples.active_sessions if isinstance(evidence.samples, Samples) else 0.0


def is_wide(work: StatementWork) -> bool:
    """Whether a statement asks for every column, and gets many rows for each call."""
    return bool(EVERY_COLUMN.match(work.text)) and work.rows_returned >= LEAST_WIDE * work.calls


def _takes_the_place(evidence: Evidence, work: StatementWork) -> bool:
    """Whether a statement on the same table is called less than on days like this: what is new does its work, only wider."""
    table = FROM.search(work.text)
    if table is None or not isinstance(evidence.statements, Mapping):
        return False
    if any((its := FROM.search(text)) is not None and its.group(1) == table.group(1) for text in evidence.gone):
        return True
    for other in evidence.statements.values():
        typical, its = other.typical_calls_per_s, FROM.search(other.text)
        if other.fingerprint == work.fingerprint or typical is None or its is None or its.group(1) != table.group(1):
            continue
        if other.calls / max(evidence.covered_s, 1.0) < min(FEWER * typical.value, typical.low):
            return True
    return False


def _all_ratio(evidence: Evidence) -> float:
    """All calls of other statements ÷ typical: the median over them."""
    assert isinstance(evidence.statements, Mapping)
    ratios = sorted(
        w.calls / max(evidence.covered_s, 1.0) / w.typical_calls_per_s.value
        for w in evidence.statements.values()
        if w.typical_calls_per_s is not None and w.typical_calls_per_s.value > 0
    )
    return ratios[len(ratios) // 2] if ratios else 1.0
