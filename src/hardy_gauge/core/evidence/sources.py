"""What is known of a server besides its statements: figures, who waits for whom, its log, settings, tables, host, changes.

One small frozen class for a row of each source; where nothing is known of a source, ``Unknown`` stands in its place.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field

from hardy_gauge.core.reference.typical_day import Typical


@dataclass(frozen=True)
class RecordedFigure:
    """A counter a second over the focus, or a level on average over it; ``typical`` is the same in the reference.

    ``last`` is the last value of a level, ``per_day`` how fast it grew over the days before (None: not known).
    """

    value: float
    typical: Typical | None = None
    last: float | None = None
    per_day: float | None = None

    @property
    def usual(self) -> float | None:
        """The typical value; None where it is not known."""
        return None if self.typical is None else self.typical.value

    @property
    def ratio(self) -> float | None:
        """Value ÷ typical; None where there is no typical value or it is nothing."""
        return self.value / self.typical.value if self.typical is not None and self.typical.value > 0 else None


@dataclass(frozen=True)
class Waiting:
    """Sessions of one kind at the root of waiting over the focus, as ``core.activity.waiting.Root`` has them, with the statement's
    fingerprint and text. ``waited_s`` are seconds that others waited for them.
    """

    doing: str
    fingerprint: str
    text: str
    user: str
    service: str
    waited_s: float
    most: int
    depth: int
    session: int
    idle_s: float | None
    transaction_s: float | None
    kinds: int = 1


@dataclass(frozen=True)
class NoAnswer:
    """A server that does not answer: since when, and what it says instead."""

    since_us: int
    reason: str


@dataclass(frozen=True)
class OldTransaction:
    """The transaction that was open longest, with the statement of its session (empty: not known)."""

    fingerprint: str
    text: str
    user: str
    service: str
    session: int
    age_s: float


@dataclass(frozen=True)
class Message:
    """Messages of one shape in the log over the focus, with the statement that ran when they were said most often; ``watched``
    where people want to be told of them.
    """

    severity: str
    code: str
    shape: str
    count: int
    first_us: int
    fingerprint: str
    detail: str
    text: str = ""
    watched: bool = False


@dataclass(frozen=True)
class WatchedValues:
    """A figure of the user's own that has limits, minute by minute over the focus, oldest first; ``column`` is what Strips call it."""

    column: str
    title: str
    unit: str
    least: float | None
    most: float | None
    times_us: Sequence[int]
    values: Sequence[float]


@dataclass(frozen=True)
class SettingFact:
    """A setting as it is; ``neutral`` is what it is called whatever the engine (empty: no such), ``differs_from`` are peers with
    another value.
    """

    name: str
    value: float | int | str | bool
    default: float | int | str | bool | None
    unit: str | None
    applies: str
    differs_from: tuple[str, ...] = ()
    neutral: str = ""


@dataclass(frozen=True)
class IndexUse:
    """An index with what was read by it since it is counted; None where that is not reported."""

    name: str
    columns: tuple[str, ...]
    unique: bool
    constraint: str
    bytes: int | None
    lookups_counted: float | None
    counted_since_us: int | None
    partial: bool = False
    valid: bool = True

    @property
    def enforces(self) -> bool:
        """Whether it keeps a constraint."""
        return self.unique or bool(self.constraint)


@dataclass(frozen=True)
class TableUse:
    """A table with its upkeep: None where it is not reported. Writes are a second over the focus; ``upkeep_off`` is its own option
    that leaves it out of upkeep, in the engine's words.
    """

    name: str
    rows: float
    heap_bytes: int
    dead_rows: float | None
    spare_bytes: int | None
    writes_per_s: float | None
    upkeep_us: int | None
    statistics_us: int | None
    changed_since: float | None
    transaction_age: float | None
    options: Mapping[str, str]
    indexes: tuple[IndexUse, ...]
    upkeep_off: str = ""


@dataclass(frozen=True)
class SequenceUse:
    """A sequence; ``used`` is the share of its values that it has given, ``per_day`` how fast that grows."""

    name: str
    column: str
    type: str
    value: int
    most: int
    used: float
    per_day: float | None


@dataclass(frozen=True)
class VolumeFact:
    """A volume; ``days_left`` is None where it does not fill or that is not known, ``lately``: by the last two hours, in which it filled
    all the time and far faster than before.
    """

    name: str
    used_bytes: float
    capacity_bytes: float
    days_left: float | None
    lately: bool = False


@dataclass(frozen=True)
class HostFacts:
    """The machine; None where the server cannot see it."""

    cores: int | None
    memory_bytes: int | None
    settings: Mapping[str, str] = field(default_factory=dict)


@dataclass(frozen=True)
class ChangeFact:
    """Something that changed, in the focus or in the hour before it."""

    at_us: int
    kind: str
    title: str
    object: str
    before: str
    after: str


@dataclass(frozen=True)
class PlanTurn:
    """A statement that went from one plan to another in the focus; seconds of a call with each."""

    at_us: int
    fingerprint: str
    before: str
    after: str
    before_s: float | None
    after_s: float | None


@dataclass(frozen=True)
class RunningJob:
    """A job that sessions were seen to work on: how many sessions on average over the focus, since when it was seen without a pause,
    and whether it is seen at this hour on other days too.
    """

    fingerprint: str
    text: str
    user: str
    service: str
    sessions: float
    since_us: int
    usual: bool


@dataclass(frozen=True)
class ExecutionKinds:
    """Executions of one statement in two kinds, by rows: the larger ones ``large_of_time`` of its time in ``large_share`` of its calls.

    Rows (examined where that is reported, else returned) and seconds are those of a call of each kind on average; ``plans`` is how
    many plans were used.
    """

    large_share: float
    large_of_time: float
    large_rows: float
    small_rows: float
    large_s: float
    small_s: float
    plans: int
