"""Tables of things, and one table of segments that hold the series. Times are UTC microseconds."""

from __future__ import annotations

from typing import Any

from sqlalchemy import JSON, ForeignKey, Index, LargeBinary, UniqueConstraint
from sqlalchemy.orm import DeclarativeBase, Mapped, mapped_column, relationship

# addresses of servers that came in a file and are never asked
BUNDLE = "bundle:"
IMPORT = "import:"


class Base(DeclarativeBase):
    """What every table stands on."""

    type_annotation_map = {dict[str, Any]: JSON, list[Any]: JSON}  # noqa: RUF012


class Cluster(Base):
    """Servers that serve the same data."""

    __tablename__ = "cluster"
    id: Mapped[int] = mapped_column(primary_key=True)
    name: Mapped[str] = mapped_column(unique=True)
    servers: Mapped[list[Server]] = relationship(back_populates="cluster", order_by="Server.name")


class Account(Base):
    """An entry of the keyring: who signs in at servers. The secret is encrypted and goes to probes alone.

    ``groups`` are names of clusters and labels whose servers use it when they name no account of their own. It goes to
    ``hosts`` alone ("host", "host:port", "*.domain"), and unencrypted only with ``plain_text``. ``certificate`` are the
    authorities trusted for it as PEM; empty for the system's. ``people`` are those who may give it to a server or try it; empty
    for everyone who may connect servers.
    """

    __tablename__ = "account"
    AUDITED = ("name", "user", "groups", "hosts", "plain_text", "certificate", "people")
    SECRETS = ("secret",)
    id: Mapped[int] = mapped_column(primary_key=True)
    name: Mapped[str] = mapped_column(unique=True)
    user: Mapped[str]
    secret: Mapped[bytes] = mapped_column(LargeBinary)
    groups: Mapped[list[Any]] = mapped_column(default=list)
    hosts: Mapped[list[Any]] = mapped_column(default=list)
    plain_text: Mapped[bool] = mapped_column(default=False)
    certificate: Mapped[str] = mapped_column(default="")
    people: Mapped[list[Any]] = mapped_column(default=list)
    changed_us: Mapped[int]


class Server(Base):
    """One database server process on one host, and how it is reached. A retired one keeps what was recorded."""

    __tablename__ = "server"
    AUDITED = ("name", "cluster_id", "address", "labels", "figures", "scrapes", "account_id", "retired_us")
    id: Mapped[int] = mapped_column(primary_key=True)
    name: Mapped[str] = mapped_column(unique=True)
    cluster_id: Mapped[int] = mapped_column(ForeignKey("cluster.id"))
    role: Mapped[str]
    engine: Mapped[str]
    engine_version: Mapped[str]
    address: Mapped[str]
    abilities: Mapped[list[Any]] = mapped_column(default=list)
    host: Mapped[dict[str, Any]] = mapped_column(default=dict)
    labels: Mapped[list[Any]] = mapped_column(default=list)
    figures: Mapped[list[Any]] = mapped_column(default=list)
    scrapes: Mapped[list[Any]] = mapped_column(default=list)
    account_id: Mapped[int | None] = mapped_column(ForeignKey("account.id"), default=None)
    retired_us: Mapped[int | None] = mapped_column(default=None)
    account: Mapped[Account | None] = relationship()
    cluster: Mapped[Cluster] = relationship(back_populates="servers")
    capture: Mapped[CaptureState] = relationship(back_populates="server", uselist=False)


class CaptureState(Base):
    """How far the recording of one server has come, and what was wrong last."""

    __tablename__ = "capture_state"
    server_id: Mapped[int] = mapped_column(ForeignKey("server.id"), primary_key=True)
    recorded_until_us: Mapped[int] = mapped_column(default=0)
    executions_until_us: Mapped[int] = mapped_column(default=0)
    messages_until_us: Mapped[int] = mapped_column(default=0)
    seen_us: Mapped[int] = mapped_column(default=0)
    error: Mapped[str] = mapped_column(default="")
    clock_skew_s: Mapped[float] = mapped_column(default=0.0)
    doing: Mapped[str] = mapped_column(default="")
    why: Mapped[str] = mapped_column(default="")
    server: Mapped[Server] = relationship(back_populates="capture")


class StoredCaptureRule(Base):
    """A capture rule: the first in order that fits a server is what is wanted of it."""

    __tablename__ = "capture_rule"
    AUDITED = ("name", "position", "document")
    id: Mapped[int] = mapped_column(primary_key=True)
    name: Mapped[str] = mapped_column(unique=True)
    position: Mapped[int]
    document: Mapped[dict[str, Any]]
    changed_us: Mapped[int]


class Preference(Base):
    """One setting of the application that people change on its screens."""

    __tablename__ = "preference"
    AUDITED = ("name", "value")
    name: Mapped[str] = mapped_column(primary_key=True)
    value: Mapped[dict[str, Any]]


class Statement(Base):
    """Normalised SQL text, its literals replaced; ``fingerprint`` is its identity."""

    __tablename__ = "statement"
    id: Mapped[int] = mapped_column(primary_key=True)
    fingerprint: Mapped[str] = mapped_column(unique=True)
    text: Mapped[str]
    kind: Mapped[str]
    first_seen_us: Mapped[int]


class Plan(Base):
    """A plan seen on a server; ``body`` is the protocol's answer."""

    __tablename__ = "plan"
    __table_args__ = (UniqueConstraint("server_id", "statement_id", "plan_key"),)
    id: Mapped[int] = mapped_column(primary_key=True)
    server_id: Mapped[int] = mapped_column(ForeignKey("server.id"))
    statement_id: Mapped[int] = mapped_column(ForeignKey("statement.id"))
    plan_key: Mapped[str]
    taken_us: Mapped[int]
    body: Mapped[dict[str, Any]]
    import_id: Mapped[int | None] = mapped_column(ForeignKey("import.id"), default=None)


class Snapshot(Base):
    """The latest settings, schema, or planner facts of a server."""

    __tablename__ = "snapshot"
    server_id: Mapped[int] = mapped_column(ForeignKey("server.id"), primary_key=True)
    kind: Mapped[str] = mapped_column(primary_key=True)
    taken_us: Mapped[int]
    body: Mapped[dict[str, Any]]


class Change(Base):
    """Anything that changed: schema, setting, software, upkeep. ``before`` and ``after`` are what it was and is, and ``who`` the
    user, where that is known.
    """

    __tablename__ = "change"
    __table_args__ = (UniqueConstraint("server_id", "at_us", "kind", "title"),)
    id: Mapped[int] = mapped_column(primary_key=True)
    server_id: Mapped[int] = mapped_column(ForeignKey("server.id"), index=True)
    at_us: Mapped[int]
    kind: Mapped[str]
    title: Mapped[str]
    object: Mapped[str] = mapped_column(default="")
    before: Mapped[str] = mapped_column(default="")
    after: Mapped[str] = mapped_column(default="")
    who: Mapped[str] = mapped_column(default="")


class StoredFinding(Base):
    """One cause on one subject of a server, with its life: since when, last seen, and when it was over.

    ``body`` is the finding as it was seen last; ``before_us`` is when it was over the last time, where it came back. What was noted
    or set aside has by whom and when; ``aside_weight`` is what it weighed then. ``open_end``: when it was over is not known, because a
    span of the past ended there that was diagnosed on demand.
    """

    __tablename__ = "finding"
    id: Mapped[int] = mapped_column(primary_key=True)
    server_id: Mapped[int] = mapped_column(ForeignKey("server.id", ondelete="CASCADE"), index=True)
    cause: Mapped[str]
    subject: Mapped[str]
    since_us: Mapped[int]
    seen_us: Mapped[int]
    ended_us: Mapped[int | None] = mapped_column(default=None)
    body: Mapped[dict[str, Any]]
    open_end: Mapped[bool] = mapped_column(default=False, server_default="0")
    before_us: Mapped[int | None] = mapped_column(default=None)
    noted_us: Mapped[int | None] = mapped_column(default=None)
    noted_by: Mapped[str] = mapped_column(default="", server_default="")
    aside_us: Mapped[int | None] = mapped_column(default=None)
    aside_by: Mapped[str] = mapped_column(default="", server_default="")
    aside_reason: Mapped[str] = mapped_column(default="", server_default="")
    aside_weight: Mapped[float | None] = mapped_column(default=None)


class DiagnosisState(Base):
    """When a server was last diagnosed, what could not be looked at and why, and what went wrong."""

    __tablename__ = "diagnosis_state"
    server_id: Mapped[int] = mapped_column(ForeignKey("server.id", ondelete="CASCADE"), primary_key=True)
    first_us: Mapped[int]
    at_us: Mapped[int]
    unknown: Mapped[list[Any]] = mapped_column(default=list)
    error: Mapped[str] = mapped_column(default="")


class DiagnosedSpan(Base):
    """A span of the past that was diagnosed on demand, and what could not be looked at in it."""

    __tablename__ = "diagnosed_span"
    id: Mapped[int] = mapped_column(primary_key=True)
    server_id: Mapped[int] = mapped_column(ForeignKey("server.id", ondelete="CASCADE"), index=True)
    from_us: Mapped[int]
    until_us: Mapped[int]
    unknown: Mapped[list[Any]] = mapped_column(default=list)


class Gap(Base):
    """A span that could not be recorded, or a reset or clock step that makes it unsure."""

    __tablename__ = "gap"
    id: Mapped[int] = mapped_column(primary_key=True)
    server_id: Mapped[int] = mapped_column(ForeignKey("server.id"), index=True)
    kind: Mapped[str]
    from_us: Mapped[int]
    to_us: Mapped[int | None]
    reason: Mapped[str]


class Segment(Base):
    """Rows of one series of one server in a compressed columnar block (Parquet)."""

    __tablename__ = "segment"
    __table_args__ = (Index("segment_bounds", "server_id", "kind", "start_us", "end_us", "rows"),)
    id: Mapped[int] = mapped_column(primary_key=True)
    server_id: Mapped[int] = mapped_column(ForeignKey("server.id"))
    kind: Mapped[str]
    start_us: Mapped[int]
    end_us: Mapped[int]
    rows: Mapped[int]
    body: Mapped[bytes] = mapped_column(LargeBinary, deferred=True)


class DamagedSegment(Base):
    """A segment whose block is not what was written: it is left out of every answer."""

    __tablename__ = "damaged_segment"
    segment_id: Mapped[int] = mapped_column(ForeignKey("segment.id", ondelete="CASCADE"), primary_key=True)
    found_us: Mapped[int]
    why: Mapped[str]


class Import(Base):
    """An uploaded file, or what one sender sent in a day. ``rejected`` are the lines
    that were refused, by number, with the reason of each.
    """

    __tablename__ = "import"
    AUDITED = ("name", "kind", "state")
    id: Mapped[int] = mapped_column(primary_key=True)
    created_us: Mapped[int]
    who: Mapped[str]
    name: Mapped[str]
    kind: Mapped[str]
    content_key: Mapped[str]
    state: Mapped[str] = mapped_column(default="open")
    detail: Mapped[str] = mapped_column(default="")
    wanted: Mapped[dict[str, Any]] = mapped_column(default=dict)
    servers: Mapped[list[Any]] = mapped_column(default=list)
    accepted: Mapped[int] = mapped_column(default=0)
    rejected_count: Mapped[int] = mapped_column(default=0)
    rejected: Mapped[dict[str, Any]] = mapped_column(default=dict, deferred=True)
    since_us: Mapped[int | None] = mapped_column(default=None)
    until_us: Mapped[int | None] = mapped_column(default=None)


class ImportSegment(Base):
    """Which import a segment came with. A table of its own: a column behind the segments' bodies is slow to look at."""

    __tablename__ = "import_segment"
    segment_id: Mapped[int] = mapped_column(ForeignKey("segment.id", ondelete="CASCADE"), primary_key=True)
    import_id: Mapped[int] = mapped_column(ForeignKey("import.id"), index=True)


class CounterSnapshot(Base):
    """All that a server counted at one moment. ``taken_us`` and ``started_us`` are by its clock, ``noted_us`` by ours;
    ``statements`` is a columnar block.
    """

    __tablename__ = "counter_snapshot"
    AUDITED = ("server_id", "why", "note")
    id: Mapped[int] = mapped_column(primary_key=True)
    server_id: Mapped[int] = mapped_column(ForeignKey("server.id", ondelete="CASCADE"), index=True)
    taken_us: Mapped[int]
    started_us: Mapped[int]
    noted_us: Mapped[int] = mapped_column(default=0)
    why: Mapped[str]
    note: Mapped[str] = mapped_column(default="")
    values: Mapped[dict[str, Any]]
    levels: Mapped[dict[str, Any]]
    settings: Mapped[dict[str, Any]]
    statements: Mapped[bytes] = mapped_column(LargeBinary, deferred=True)


class StoredWorkload(Base):
    """Statements with weights to play in trials, as a trial's design states them."""

    __tablename__ = "workload"
    AUDITED = ("name", "statements")
    id: Mapped[int] = mapped_column(primary_key=True)
    name: Mapped[str]
    statements: Mapped[list[Any]]
    import_id: Mapped[int | None] = mapped_column(ForeignKey("import.id"), default=None)


class NamedJob(Base):
    """What people call a job that comes back on a server, by its statement; ``dismissed``: it is none to them."""

    __tablename__ = "named_job"
    __table_args__ = (UniqueConstraint("server_id", "fingerprint"),)
    AUDITED = ("name", "dismissed")
    id: Mapped[int] = mapped_column(primary_key=True)
    server_id: Mapped[int] = mapped_column(ForeignKey("server.id", ondelete="CASCADE"), index=True)
    fingerprint: Mapped[str]
    name: Mapped[str] = mapped_column(default="")
    dismissed: Mapped[bool] = mapped_column(default=False)


class SavedStrips(Base):
    """A set of strips under a name; ``bands`` as they stand in an address."""

    __tablename__ = "saved_strips"
    AUDITED = ("name",)
    id: Mapped[int] = mapped_column(primary_key=True)
    name: Mapped[str] = mapped_column(unique=True)
    bands: Mapped[list[Any]]
    saved_by: Mapped[str] = mapped_column(default="")
    saved_us: Mapped[int]


class StoredLogRule(Base):
    """How people take log messages that have the words of ``pattern``."""

    __tablename__ = "log_rule"
    AUDITED = ("pattern", "takes")
    id: Mapped[int] = mapped_column(primary_key=True)
    pattern: Mapped[str] = mapped_column(unique=True)
    takes: Mapped[str]
    made_by: Mapped[str] = mapped_column(default="")
    made_us: Mapped[int]


class Report(Base):
    """A saved document; it does not change when what it reports on does."""

    __tablename__ = "report"
    AUDITED = ("title", "scope")
    id: Mapped[int] = mapped_column(primary_key=True)
    title: Mapped[str]
    created_us: Mapped[int]
    scope: Mapped[str]
    html: Mapped[str]
