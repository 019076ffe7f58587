"""Findings: something wrong, with what it is about, what it costs, the facts that show it and what would help."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

from hardy_gauge.core.diagnosis.fact import Fact
from hardy_gauge.core.remedies.remedy import IndexChange, Remedy

Grade = Literal["fine", "note", "plan", "act"]
SubjectKind = Literal[
    "server", "cluster", "statement", "table", "index", "session", "volume", "setting", "member", "sequence"
]


@dataclass(frozen=True)
class Subject:
    """What a finding is about: its kind, its name (a statement's fingerprint), and the words or text a person reads."""

    kind: SubjectKind
    name: str
    text: str = ""


@dataclass(frozen=True)
class Impact:
    """What it costs, with a 95% interval from the same source as the value."""

    value: float
    low: float
    high: float
    unit: Literal["sessions", "s", "calls", "B"] = "sessions"


@dataclass(frozen=True)
class PlanQuestion:
    """Asked of the server by a worker, never inside a request: the plan of a text with an index that is not there. ``cost`` is that of the plan
    without it.
    """

    text: str
    index: IndexChange
    cost: float | None = None


@dataclass(frozen=True)
class Signal:
    """What shows when a finding began: a moment that is known, or the series whose change of level is looked for.

    ``name`` is a statement's fingerprint (of its time, its calls, or its errors), a wait family, or a recorded figure.
    """

    kind: Literal["moment", "statement", "calls", "errors", "family", "figure"]
    name: str = ""
    at_us: int = 0


@dataclass(frozen=True)
class Finding:
    """``share`` of the server's active sessions with its interval, from the same samples as ``impact``; ``confidence``
    from 0 to 1. ``question`` is what only the server can answer, where something is still open. ``chronic`` where it has been so on
    all days like this. ``root`` and ``root_subject`` name
    the finding that this one follows from; empty where it is a root itself. ``looked_s`` are the seconds that it was found over.
    """

    cause: str
    title: str
    subject: Subject
    impact: Impact
    share: float
    share_low: float
    share_high: float
    grade: Grade
    confidence: float
    facts: list[Fact]
    remedies: list[Remedy]
    question: PlanQuestion | None = None
    signal: Signal | None = None
    chronic: bool = False
    root: str = ""
    root_subject: str = ""
    looked_s: float = 0.0

    @property
    def is_root(self) -> bool:
        return not self.root


# by share of the server's active sessions; what cannot wait is said by the rule's own unit of time
GRADES: tuple[tuple[float, Grade], ...] = ((0.3, "act"), (0.1, "plan"), (0.0, "note"))


# what costs less than this many active sessions is worth a note, whatever its share of an idle server's time
LITTLE_SESSIONS = 0.05


def grade_of(share: float, sessions: float) -> Grade:
    """The grade of a finding that costs this share of a server's time, and so many active sessions."""
    if sessions < LITTLE_SESSIONS:
        return "note"
    return next(grade for least, grade in GRADES if share >= least)
