"""Evidence: what is known of one server over a focus and over its reference, one table a source, or why it is not known.

Frozen, and read by rules alone: nothing here asks a clock, a store or a network.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from typing import Literal

from hardy_gauge.core.evidence.schema import TableFacts
from hardy_gauge.core.evidence.sources import (
    ChangeFact,
    ExecutionKinds,
    HostFacts,
    Message,
    NoAnswer,
    OldTransaction,
    PlanTurn,
    RecordedFigure,
    RunningJob,
    SequenceUse,
    SettingFact,
    TableUse,
    VolumeFact,
    Waiting,
    WatchedValues,
)
from hardy_gauge.core.plans.model import Plan
from hardy_gauge.core.plans.pins import PinFacts
from hardy_gauge.core.reference.typical_day import Typical
from hardy_gauge.core.time.span import Span

Source = Literal[
    "statements", "samples", "schema", "plans", "figures", "waiting", "messages", "settings", "tables", "sequences", "volumes",
    "host", "changes", "plan_turns", "peers", "executions",
    "clock_skew_s", "jobs", "watched", "pins",
]  # fmt: skip
NOT_READ = "it was not read"


@dataclass(frozen=True)
class Unknown:
    """Why a source says nothing: the server does not report it, it was not recorded, there is a gap, it is too old."""

    why: str


@dataclass(frozen=True)
class StatementWork:
    """One statement over the focus: what the server counted, per call in the reference, and the plan it used last.

    ``rows_examined``, ``pages_requested`` and the others are None where the server does not report them; ``errors`` are those that
    the server counts, or that its log reports; ``variation`` the standard deviation ÷ mean of its calls' times within the intervals in
    which they were counted (None where squares are not reported); ``known_before`` whether it was called in the reference (None: there is none).
    """

    fingerprint: str
    text: str
    calls: float
    time_s: float
    rows_returned: float
    rows_examined: float | None
    plan: Plan | None = None
    typical_time_per_call_s: Typical | None = None
    typical_examined_per_row: Typical | None = None
    pages_requested: float | None = None
    typical_calls_per_s: Typical | None = None
    typical_rows_per_call: Typical | None = None
    errors: float | None = None
    temporary_pages: float | None = None
    log_bytes: float | None = None
    known_before: bool | None = None
    service: str = ""
    variation: float | None = None
    typical_time_per_s: Typical | None = None


@dataclass(frozen=True)
class Sampled:
    """Active sessions of one statement from session samples, with a 95% interval."""

    active_sessions: float
    low: float
    high: float


@dataclass(frozen=True)
class Samples:
    """Session samples over the focus: active sessions in all and by statement (fingerprint), from ``seconds`` looked at."""

    active_sessions: float
    seconds: float
    by_statement: Mapping[str, Sampled]
    by_family: Mapping[str, Sampled] = field(default_factory=dict)
    row_lock_by_statement: Mapping[str, float] = field(default_factory=dict)


@dataclass(frozen=True)
class Schema:
    """Tables by name, and the SQL dialect (of sqlglot) in which remedies are written."""

    dialect: str
    tables: Mapping[str, TableFacts]


@dataclass(frozen=True)
class Evidence:
    """One server. ``covered_s`` are the seconds of the focus over which statements were counted; ``peers`` are calls a second of the
    servers that do the same work; ``gone`` are texts that are called on days like this and were not called in the focus; ``beside`` are
    changes of the software of the other servers of its cluster, ``silent_beside`` those of them that do not answer.
    """

    server: str
    engine: str
    focus: Span
    covered_s: float
    statements: Mapping[str, StatementWork] | Unknown
    samples: Samples | Unknown
    schema: Schema | Unknown
    figures: Mapping[str, RecordedFigure] | Unknown = Unknown(NOT_READ)
    waiting: Sequence[Waiting] | Unknown = Unknown(NOT_READ)
    messages: Sequence[Message] | Unknown = Unknown(NOT_READ)
    settings: Mapping[str, SettingFact] | Unknown = Unknown(NOT_READ)
    tables: Mapping[str, TableUse] | Unknown = Unknown(NOT_READ)
    sequences: Sequence[SequenceUse] | Unknown = Unknown(NOT_READ)
    volumes: Sequence[VolumeFact] | Unknown = Unknown(NOT_READ)
    host: HostFacts | Unknown = Unknown(NOT_READ)
    changes: Sequence[ChangeFact] | Unknown = Unknown(NOT_READ)
    plan_turns: Sequence[PlanTurn] | Unknown = Unknown(NOT_READ)
    peers: Mapping[str, float] | Unknown = Unknown(NOT_READ)
    role: str = "single"
    executions: Mapping[str, ExecutionKinds] | Unknown = Unknown(NOT_READ)
    clock_skew_s: float | Unknown = Unknown(NOT_READ)
    oldest: OldTransaction | None = None
    jobs: Sequence[RunningJob] | Unknown = Unknown(NOT_READ)
    watched: Sequence[WatchedValues] | Unknown = Unknown(NOT_READ)
    pins: Sequence[PinFacts] | Unknown = Unknown(NOT_READ)
    gone: Sequence[str] = ()
    beside: Sequence[ChangeFact] = ()
    no_answer: NoAnswer | None = None
    silent_beside: Sequence[str] = ()

    def missing(self, sources: tuple[Source, ...]) -> Unknown | None:
        """The first of the sources that is not known, if any."""
        for source in sources:
            found = None if source == "plans" else getattr(self, source)
            if isinstance(found, Unknown):
                return found
        return None
