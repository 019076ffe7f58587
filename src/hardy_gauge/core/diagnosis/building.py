"""What rules have in common when they put a finding together: who asks nothing of the server, shares of time, urgency.

The grade of a finding follows from what it costs, by one table each: a share of the server's time (``finding.grade_of``), the share of
calls that fail, or the time until something ends.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import replace

from hardy_gauge.core.diagnosis.fact import Fact
from hardy_gauge.core.diagnosis.finding import Finding, Grade, Impact, Signal, Subject, grade_of
from hardy_gauge.core.evidence.evidence import Evidence, Sampled, Samples, StatementWork
from hardy_gauge.core.evidence.sources import ChangeFact, RecordedFigure, SettingFact
from hardy_gauge.core.plans.model import Plan
from hardy_gauge.core.remedies.remedy import NOT_TRIED, Remedy, RemedyKind
from hardy_gauge.core.remedies.setting import BYTES, setting_remedy
from hardy_gauge.core.trials.expectation import WON_BACK

DAY_S = 86_400.0
QUIET_S = 60
STARTED_WORDS = ("restart", "took over", "started")
# who waited takes cores and rows from others once it goes on: up to so many times the waiting was won back on practice servers
PILES_UP = 3.0
MIB, MANY_MIB = 2**20, 10
SURE_TO = 0.25  # of what would be won back: what else changes when it is gone is not in the usual range
# days until something ends, and the share of calls that fail: from the first that holds
BY_DAYS: tuple[tuple[float, Grade], ...] = ((3.0, "act"), (21.0, "plan"), (90.0, "note"))
BY_FAILURES: tuple[tuple[float, Grade], ...] = ((0.1, "act"), (0.01, "plan"), (0.0, "note"))


class Unasked:
    """A rule that asks the server nothing: what it finds stands."""

    def confirm(self, finding: Finding, answer: Plan | None) -> Finding | None:
        return replace(finding, question=None)


def grade_by_days(days: float) -> Grade:
    """``fine`` where there is more time than anyone plans for."""
    return next((grade for most, grade in BY_DAYS if days <= most), "fine")


def grade_by_failures(share: float) -> Grade:
    return next(grade for least, grade in BY_FAILURES if share >= least)


def costs(
    evidence: Evidence, cause: str, title: str, subject: Subject, spent: Sampled, facts: Sequence[Fact], remedies: Sequence[Remedy],
    confidence: float, signal: Signal | None = None, of_others: bool = False, wins: Fact | None = None,
) -> Finding:  # fmt: skip
    """A finding that costs active sessions; ``spent`` are those, with their interval. It began when its statement's time changed where
    no other ``signal`` is given. ``of_others``: they are of others, who wait for the subject, and all of them would be won back;
    ``wins``: what its first remedy would win back, where that is known by other means than the statement's usual time.
    """
    samples = evidence.samples
    assert isinstance(samples, Samples)
    whole = max(samples.active_sessions, 1e-9)
    if of_others:
        source = "what others wait for it, and what piles up behind them"
        won: Fact | None = won_back(spent.active_sessions, spent.low, PILES_UP * spent.high, source, whole)
    else:
        won = back_to_usual(evidence, subject) or wins
    if won is not None and subject.kind != "statement":  # a trial of all statements shows it in all of their time
        won = replace(won, reference=whole)
    first = [replace(one, expected=[won]) for one in remedies[:1]] if won is not None else list(remedies[:1])
    active = Fact("active sessions", spent.active_sessions, "sessions", "session samples", None, spent.low, spent.high)
    return Finding(
        cause=cause, title=title, subject=subject, impact=Impact(spent.active_sessions, spent.low, spent.high),
        share=min(1.0, spent.active_sessions / whole), share_low=min(1.0, spent.low / whole), share_high=min(1.0, spent.high / whole),
        grade=grade_of(spent.active_sessions / whole, spent.active_sessions), confidence=confidence, facts=[active, *facts],
        remedies=[*first, *remedies[1:]], signal=signal or (Signal("statement", subject.name) if subject.kind == "statement" else None),
    )  # fmt: skip


def back_to_usual(evidence: Evidence, subject: Subject) -> Fact | None:
    """What would be won back if a statement took as much time as on days like this: its active sessions above the usual ones. None
    where nothing usual is known of it, or it takes no more.
    """
    work, now = statement_of(evidence, subject.name), time_of(evidence, subject.name)
    usual = work.typical_time_per_s if work is not None and subject.kind == "statement" else None
    if now is None or usual is None or now.active_sessions <= usual.value:
        return None
    above = now.active_sessions - usual.value
    source = "its time against days like this"
    return won_back(above, now.low - usual.high, now.high - usual.low, source, now.active_sessions)


def won_back(value: float, low: float, high: float, source: str, now: float) -> Fact:
    """Active sessions that would be won back of those spent ``now``, with a range that leaves room for what else changes."""
    return Fact(WON_BACK, value, "sessions", source, now, max(0.0, (1 - SURE_TO) * low), (1 + SURE_TO) * high)


def perhaps_all(spent: Sampled, part: float, source: str, piles_up: float = 1.0) -> Fact:
    """What a change wins back that ends ``part`` of the time, or less where it is not large enough: the least is nothing. What waits
    behind it may be as much again, ``piles_up`` times.
    """
    return won_back(part * spent.active_sessions, 0.0, piles_up * spent.high, source, spent.active_sessions)


def warns(
    cause: str, title: str, subject: Subject, grade: Grade, facts: Sequence[Fact], remedies: Sequence[Remedy], confidence: float,
    impact: Impact | None = None, signal: Signal | None = None,
) -> Finding:  # fmt: skip
    """A finding that costs no time yet; ``impact`` is seconds until something ends, calls that fail, or bytes."""
    return Finding(
        cause=cause, title=title, subject=subject, impact=impact or Impact(0.0, 0.0, 0.0), share=0.0, share_low=0.0, share_high=0.0,
        grade=grade, confidence=confidence, facts=list(facts), remedies=list(remedies), signal=signal,
    )  # fmt: skip


def remedy(kind: RemedyKind, title: str, *cautions: str, script: str = "", undo: str = "") -> Remedy:
    """A change in words; its script where every dialect has the same."""
    return Remedy(kind, title, script, undo, "at once", [], [], list(cautions), not_tried=NOT_TRIED[kind])


def change_of(
    evidence: Evidence, setting: SettingFact, value: float | int | str | bool, title: str, *cautions: str,
    before: float | int | str | bool | None = None,
) -> Remedy:  # fmt: skip
    """A setting given another value, as a script of the server's engine."""
    was, restart = setting.value if before is None else before, "restart" in setting.applies
    return setting_remedy(evidence.engine, setting.name, value, was, setting.unit, restart, title, *cautions)


def in_unit(setting: SettingFact, size: float) -> int:
    """Bytes in the unit of a setting: bytes, kibibytes, or pages of 8 KiB, rounded up to a whole one, and to a whole mebibyte where it is many."""
    many = size >= MANY_MIB * MIB
    whole = -(-int(size) // MIB) * MIB if many else int(size)
    return -(-whole // BYTES.get((setting.unit or "B").lower(), 1))


def bytes_of(setting: SettingFact | None) -> float | None:
    """A size in bytes; None where it is no number."""
    if setting is None or isinstance(setting.value, bool | str):
        return None
    return float(setting.value) * BYTES.get((setting.unit or "B").lower(), 1)


def waited(evidence: Evidence, seconds: float) -> Sampled:
    """Active sessions of so many seconds waited over the looks, with the interval of a count."""
    samples = evidence.samples
    looked = samples.seconds if isinstance(samples, Samples) else 1.0
    half = 1.96 * max(seconds, 1.0) ** 0.5
    return Sampled(seconds / looked, max(0.0, seconds - half) / looked, (seconds + half) / looked)


def against_usual(what: str, figure: RecordedFigure, unit: str, source: str) -> Fact:
    """A recorded figure with what it is on days like this."""
    return Fact(what, figure.value, unit, source, figure.usual)


def since(evidence: Evidence, change: ChangeFact) -> Fact:
    """How long ago, at the end of the focus, something changed."""
    return Fact(f"since: {change.title}", (evidence.focus.until_us - change.at_us) / 1e6, "s", "changes")


def changed(evidence: Evidence, name: str) -> Signal | None:
    """When a setting or an object changed, where it did in the focus or the hour before."""
    changes = evidence.changes if isinstance(evidence.changes, list) else []
    return next((Signal("moment", at_us=one.at_us) for one in changes if one.object == name), None)


def started(evidence: Evidence) -> list[ChangeFact]:
    """Starts of the server in the focus or the hour before, the last first."""
    changes = evidence.changes if isinstance(evidence.changes, list) else []
    return [c for c in changes if c.kind == "software" and any(word in c.title.lower() for word in STARTED_WORDS)]


def first_said(evidence: Evidence, fingerprint: str) -> Signal | None:
    """When the log first said something of a statement, where it was silent at the beginning of the focus."""
    messages = evidence.messages if isinstance(evidence.messages, list) else []
    first = min((m.first_us for m in messages if m.fingerprint == fingerprint and m.severity == "error"), default=None)
    quiet_us = evidence.focus.since_us + QUIET_S * 1_000_000
    return (
        Signal("moment", at_us=first) if first is not None and first >= quiet_us else Signal("statement", fingerprint)
    )


def setting_of(evidence: Evidence, neutral: str) -> SettingFact | None:
    """A setting by its neutral name."""
    settings = evidence.settings.values() if isinstance(evidence.settings, Mapping) else ()
    return next((one for one in settings if one.neutral == neutral), None)


def figure_of(evidence: Evidence, name: str) -> RecordedFigure | None:
    """A recorded figure, where the server reports it."""
    return evidence.figures.get(name) if isinstance(evidence.figures, Mapping) else None


def statement_of(evidence: Evidence, fingerprint: str) -> StatementWork | None:
    return evidence.statements.get(fingerprint) if isinstance(evidence.statements, Mapping) else None


def time_of(evidence: Evidence, fingerprint: str) -> Sampled | None:
    """Active sessions of a statement."""
    return evidence.samples.by_statement.get(fingerprint) if isinstance(evidence.samples, Samples) else None
