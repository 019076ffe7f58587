"""One server: what it does and what it is."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from sqlalchemy import select

from hardy_gauge.core.changes.mark import Mark
from hardy_gauge.core.figures.catalogue import FIGURES
from hardy_gauge.core.figures.gauge import NamedGauge
from hardy_gauge.core.log.message_row import MessageRow
from hardy_gauge.core.narrative.capture import CaptureWord
from hardy_gauge.core.narrative.plan import plans_words
from hardy_gauge.core.narrative.server import lacking_words, silent_log_words
from hardy_gauge.core.narrative.waiting import nobody_waited_words
from hardy_gauge.core.statements.rows import StatementRow
from hardy_gauge.core.time.span import MINUTE_US, Span
from hardy_gauge.core.time.window import Window
from hardy_gauge.queries.connection_groups import ConnectedGroup, connected_groups
from hardy_gauge.queries.coverage import sampled
from hardy_gauge.queries.findings import Findings, findings_in, root_of
from hardy_gauge.queries.gauges import gauge, named_gauge
from hardy_gauge.queries.holdups import Holdup, holdups_of
from hardy_gauge.queries.levels import LevelOut, levels_of
from hardy_gauge.queries.log_messages import messages_in
from hardy_gauge.queries.offers import ReferenceOffer, reference_offers
from hardy_gauge.queries.oldest_transaction import OldestTransaction, oldest_transaction
from hardy_gauge.queries.plan_changes import PlanChange, plan_changes
from hardy_gauge.queries.reader import Reader
from hardy_gauge.queries.scope import server_named, servers_in
from hardy_gauge.queries.server_words import server_words
from hardy_gauge.queries.settings import SettingOut, settings_that_differ
from hardy_gauge.queries.statement_rows import statement_rows
from hardy_gauge.queries.tape import GapMark
from hardy_gauge.queries.volumes import VolumeOut, volumes_of
from hardy_gauge.store.models import Change, Gap, Server
from hardy_gauge.store.servers import capture_state

SHOWN = ("active_sessions", "response_s", "calls_per_s", "processor_busy", "pages_read_per_s", "log_bytes_per_s")
LAST_US = 5 * MINUTE_US
HEAVIEST = 8
MOST_LISTED = 10


@dataclass(frozen=True)
class ClusterMember:
    """Another server of the same cluster."""

    server: str
    role: str
    active_sessions: float | None


@dataclass(frozen=True)
class ServerSheet:
    """``no_holdups`` and ``no_messages`` are what is said where there are none; ``offers`` are what the focus can be compared with while nothing usual is known."""

    server: str
    cluster: str
    role: str
    engine: str
    engine_version: str
    abilities: list[str]
    cores: int | None
    memory_bytes: int | None
    sentence: str
    reference_note: str
    offers: list[ReferenceOffer]
    capture: CaptureWord
    capture_words: str
    lacking: str
    clock_skew_s: float
    gauges: list[NamedGauge]
    heaviest: list[StatementRow]
    blind: str
    findings: Findings
    settings: list[SettingOut]
    volumes: list[VolumeOut]
    levels: list[LevelOut]
    holdups: list[Holdup]
    no_holdups: str
    oldest_transaction: OldestTransaction | None
    messages: list[MessageRow]
    no_messages: str
    plan_changes: list[PlanChange]
    plans_note: str
    connected: list[ConnectedGroup]
    members: list[ClusterMember]
    changes: list[Mark]
    gaps: list[GapMark]


def server_sheet(reader: Reader, window: Window, name: str) -> ServerSheet:
    """NotFound when there is no such server."""
    owner = server_named(reader, name)
    peers = [s for s in servers_in(reader, owner.cluster.name) if s.id != owner.id]
    columns = (c for shown in SHOWN for c in FIGURES[shown].columns)
    with reader.read_ahead([s.id for s in (owner, *peers)], window.focus, columns):
        return _sheet(reader, owner, peers, window)


def _sheet(reader: Reader, owner: Server, peers: Sequence[Server], window: Window) -> ServerSheet:
    now, focus = reader.clock(), window.focus
    findings = findings_in(reader, [owner], focus)
    state, state_words = capture_state(owner, now, reader.store.health.failure)
    listed = statement_rows(reader, window, owner.name)
    gauges = [named_gauge(reader, owner.id, shown, focus) for shown in SHOWN]
    load = gauges[0]
    return ServerSheet(
        server=owner.name, cluster=owner.cluster.name, role=owner.role, engine=owner.engine,
        engine_version=owner.engine_version, abilities=owner.abilities, cores=owner.host.get("cores"),
        memory_bytes=owner.host.get("memory_bytes"),
        sentence=server_words(reader, owner, window, load, root_of(findings), state_words, {one.fingerprint: one.share for one in listed.rows}), reference_note=listed.reference_note,
        offers=reference_offers(reader, owner, peers, window) if load.centre is None else [], capture=state,
        capture_words=state_words, lacking="" if state == "opened" else lacking_words(owner.abilities), clock_skew_s=owner.capture.clock_skew_s, gauges=gauges,
        heaviest=listed.rows[:HEAVIEST], blind=listed.blind, findings=findings,
        settings=settings_that_differ(reader, owner, peers), volumes=volumes_of(reader, owner, now),
        levels=levels_of(reader, owner.id, focus), holdups=holdups_of(reader, owner, focus),
        no_holdups=nobody_waited_words(any(sampled(reader, [owner], focus).values())), no_messages=silent_log_words("messages" in owner.abilities),
        oldest_transaction=oldest_transaction(reader, owner, focus),
        messages=messages_in(reader, [owner], focus), plan_changes=plan_changes(reader, owner, focus), plans_note=plans_words("plans" in owner.abilities), connected=connected_groups(reader, owner, focus),
        members=[
            ClusterMember(s.name, s.role, gauge(reader, s.id, "active_sessions", focus).value) for s in [owner, *peers]
        ],
        changes=_changes(reader, owner, focus), gaps=_gaps(reader, owner, focus),
    )  # fmt: skip


def _changes(reader: Reader, owner: Server, focus: Span) -> list[Mark]:
    with reader.store.read() as session:
        rows = session.scalars(
            select(Change)
            .where(Change.server_id == owner.id, Change.at_us <= focus.until_us)
            .order_by(Change.at_us.desc())
            .limit(MOST_LISTED)
        )
        return [Mark(c.at_us, owner.name, c.kind, c.title) for c in rows]


def _gaps(reader: Reader, owner: Server, focus: Span) -> list[GapMark]:
    with reader.store.read() as session:
        rows = session.scalars(
            select(Gap)
            .where(Gap.server_id == owner.id, Gap.from_us < focus.until_us)
            .order_by(Gap.from_us.desc())
            .limit(MOST_LISTED)
        )
        return [GapMark(g.from_us, g.to_us, owner.name, g.kind, g.reason, 1.0) for g in rows]
