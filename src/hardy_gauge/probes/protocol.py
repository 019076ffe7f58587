"""The probe protocol, version 1: what a probe can answer about one database server.

The same schemas serve in-process probes and, as JSON over HTTP, every other one. Times are UTC
microseconds as integers, durations seconds, sizes bytes. Counters only ever grow until the server
restarts; ``started_at_us`` tells one life of the server from the next.

This module imports nothing of ours, so that a server's side can speak the protocol alone.
"""

from __future__ import annotations

from typing import Literal, Protocol

from pydantic import BaseModel, ConfigDict, Field

PROTOCOL_VERSION = 1

Ability = Literal[
    "counters",
    "statements",
    "sessions",
    "executions",
    "settings",
    "schema",
    "explain",
    "plans",
    "messages",
    "storage",
    "history",
    "play",
    "change",
]


class Message(BaseModel):
    """Every message refuses keys it does not know, so that a misspelt one is never silently dropped."""

    model_config = ConfigDict(extra="forbid", allow_inf_nan=False)


class Identity(Message):
    """Who answers, how long it has been up, what its clock says, and what it can report."""

    protocol: int = PROTOCOL_VERSION
    server: str
    cluster: str
    role: Literal["primary", "replica", "member", "single", "coordinator", "worker"]
    engine: str
    engine_version: str
    started_at_us: int
    clock_us: int
    abilities: list[Ability]
    history_since_us: int | None = Field(None, description="start of what the history ability can still deliver")


class Volume(Message):
    """One storage volume: ``purpose`` is what the engine keeps there."""

    name: str
    purpose: Literal["data", "log", "both"]
    capacity_bytes: int
    used_bytes: int
    operations_per_s_limit: float | None = None
    bytes_per_s_limit: float | None = None


class Host(Message):
    cores: int
    memory_bytes: int
    volumes: list[Volume]


class Counters(Message):
    """Cumulative figures of the whole server; names are the neutral ones of docs/probe-protocol.md."""

    at_us: int
    started_at_us: int
    values: dict[str, float]
    levels: dict[str, float] = Field(default_factory=dict, description="figures that are read, not counted")


class StatementCounter(Message):
    """Cumulative figures of one statement text as the engine groups it."""

    key: str
    text: str
    database: str
    user: str
    service: str
    plan_key: str | None = None
    calls: float
    errors: float = 0
    time_s: float
    rows_returned: float
    rows_examined: float
    pages_requested: float
    pages_read: float
    log_bytes: float
    wait_s: dict[str, float] = Field(default_factory=dict, description="seconds by wait event")


class StatementCounters(Message):
    at_us: int
    started_at_us: int
    statements: list[StatementCounter]


class Session(Message):
    """One session that is working or waiting at the moment asked."""

    session: int
    user: str
    service: str
    database: str
    statement_key: str | None
    wait_event: str
    blocked_by: int | None = None


class Sessions(Message):
    at_us: int
    sessions: list[Session]


class ExecutionRecord(Message):
    """One finished execution that took at least the threshold asked for."""

    ended_at_us: int
    duration_s: float
    statement_key: str
    user: str
    service: str
    database: str
    rows_returned: float
    rows_examined: float
    pages_read: float
    plan_key: str | None = None


class Executions(Message):
    until_us: int
    executions: list[ExecutionRecord]


class SettingValue(Message):
    name: str
    value: float | int | str | bool
    unit: str | None = None
    default: float | int | str | bool
    minimum: float | None = None
    maximum: float | None = None
    choices: list[str] | None = None
    applies: Literal["at once", "at restart"]
    description: str = ""


class Settings(Message):
    at_us: int
    settings: list[SettingValue]


class Column(Message):
    name: str
    type: str
    width_bytes: float
    distinct: float
    null_share: float = 0.0


class IndexSpec(Message):
    """An index by what it is over; ``name`` may be empty for one that does not exist yet."""

    name: str = ""
    table: str
    columns: list[str] = Field(min_length=1)
    unique: bool = False


class IndexFacts(IndexSpec):
    bytes: int
    lookups: float | None = None


class Table(Message):
    name: str
    rows: float
    bytes: int
    columns: list[Column]
    indexes: list[IndexFacts]
    inserts_per_s: float | None = None
    deletes_per_s: float | None = None
    column_updates_per_s: dict[str, float] = Field(default_factory=dict)


class Schema(Message):
    at_us: int
    database: str
    dialect: str = Field("postgres", description="the SQL dialect name by which texts are parsed")
    tables: list[Table]


class Step(Message):
    """One step of a plan. ``time_s`` includes the steps below it; None when it was not run.

    ``rows_*`` and ``time_s`` are totals over all ``loops``.
    """

    operation: str
    words: str
    object: str | None = None
    index: str | None = None
    predicate: str | None = None
    rows_expected: float
    rows_seen: float | None = None
    rows_examined: float | None = None
    loops: float = 1
    cost: float | None = None
    time_s: float | None = None
    pages_requested: float | None = None
    pages_read: float | None = None
    steps: list[Step] = Field(default_factory=list)


class ExplainRequest(Message):
    """``add_indexes`` and ``drop_indexes`` ask "what if": nothing is built or dropped."""

    text: str
    add_indexes: list[IndexSpec] = Field(default_factory=list)
    drop_indexes: list[str] = Field(default_factory=list)


class Explained(Message):
    plan_key: str
    cost: float
    time_s: float | None
    root: Step


class LogMessage(Message):
    """One line of the server's log; ``change`` says what kind of change it reports, if any."""

    at_us: int
    severity: Literal["info", "warning", "error"]
    text: str
    change: Literal["schema", "setting", "software"] | None = None
    object: str | None = None


class LogMessages(Message):
    until_us: int
    messages: list[LogMessage]


class PlayStatement(Message):
    text: str
    weight: float = Field(gt=0)


class Arrival(Message):
    """``open``: Poisson arrivals at ``rate_per_s``. ``closed``: ``workers``, each pausing ``think_s`` on average.
    ``recorded``: arrivals at ``times_s`` after the start.

    A ``uniform`` pause lies between ``think_s`` and ``think_most_s``. Workers take statements by ``weight``, in
    the ``file``'s order, or each one its ``own``.
    """

    kind: Literal["open", "closed", "recorded"] = "closed"
    rate_per_s: float | None = Field(None, gt=0, le=20_000)
    workers: int | None = Field(None, ge=1, le=2_000)
    think_s: float = Field(0.0, ge=0)
    think_most_s: float = Field(0.0, ge=0)
    think: Literal["fixed", "uniform", "exponential"] = "exponential"
    times_s: list[float] = Field(default_factory=list, max_length=1_000_000)
    order: Literal["weight", "file", "own"] = "weight"


class PlayRequest(Message):
    """Play a workload against the server with changes made for this run only; ``cold`` empties its caches first."""

    statements: list[PlayStatement] = Field(min_length=1)
    arrival: Arrival
    seconds: float = Field(gt=0, le=3600)
    seed: int = Field(0, ge=0)
    cold: bool = False
    settings: dict[str, float | int | str | bool] = Field(default_factory=dict)
    add_indexes: list[IndexSpec] = Field(default_factory=list)
    drop_indexes: list[str] = Field(default_factory=list)


class PlayState(Message):
    play: str
    state: Literal["running", "finished", "stopped", "failed"]
    done_s: float
    seconds: float
    detail: str = ""
    utilisation: dict[str, float] = Field(default_factory=dict)


class SettingChange(Message):
    """Change one setting; whether at once or at the next restart is in what the setting says of itself."""

    name: str
    value: float | int | str | bool


class PinRequest(Message):
    """Keep one plan for a statement; without a plan the engine chooses again."""

    statement: str
    plan_key: str | None = None


class VolumeGrowth(Message):
    """Make a volume larger; volumes never shrink."""

    capacity_bytes: int = Field(gt=0)


class Done(Message):
    """A change that was begun, and what it means."""

    at_us: int
    detail: str


HistoryKind = Literal["metric", "statement", "sample", "execution"]


class Probe(Protocol):
    """Reading one server. A call that the server has no ability for raises ``Unsupported``."""

    def identity(self) -> Identity: ...
    def host(self) -> Host: ...
    def counters(self) -> Counters: ...
    def statements(self) -> StatementCounters: ...
    def sessions(self) -> Sessions: ...
    def executions(self, since_us: int, threshold_s: float) -> Executions: ...
    def settings(self) -> Settings: ...
    def schema(self) -> Schema: ...
    def explain(self, request: ExplainRequest) -> Explained: ...
    def plan(self, plan_key: str) -> Explained: ...
    def messages(self, since_us: int) -> LogMessages: ...


class ProbeError(Exception):
    """The server did not answer, or answered something that is not the protocol."""


class Unsupported(ProbeError):
    """The server does not report what was asked."""


class Refused(ProbeError):
    """The server understood the request and refuses it; ``field`` names what is wrong with it."""

    def __init__(self, detail: str, field: str = "") -> None:
        super().__init__(detail)
        self.field = field
