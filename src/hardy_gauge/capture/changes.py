"""Changes, each once: as the log reports them, and as two looks at settings, schema and upkeep differ."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Mapping, Sequence
from typing import Any

from sqlalchemy import Select, select
from sqlalchemy.orm import Session

from hardy_gauge.capture.object_intervals import TableEvent, What
from hardy_gauge.core.evidence.schema_changes import schema_changes
from hardy_gauge.core.figures.formatting import binary_size
from hardy_gauge.core.narrative.changes import CHANGED_FROM, fact_words, setting_words, upkeep_words, value_words
from hardy_gauge.core.time.span import MINUTE_US
from hardy_gauge.probes.protocol import Identity, LogMessage, LogMessages, Schema, Settings
from hardy_gauge.store.models import Change, Server, Snapshot

# what the log and a look report so close together is one change
SAME_CHANGE_US = 180_000_000


def record_messages_in(session: Session, server_id: int, messages: LogMessages) -> None:
    """Store the changes that log messages report, each once."""
    for message in messages.messages:
        if message.change is None or _is_known(session, server_id, message):
            continue
        session.add(
            Change(
                server_id=server_id, at_us=message.at_us, kind=message.change, title=message.text, object=message.object or "",
                who=message.user,
            )
        )  # fmt: skip
        session.flush()


def _is_known(session: Session, server_id: int, message: LogMessage) -> bool:
    """Whether the change is stored: by this message, or by what it changed, which then gets the log's time and user."""
    mine = select(Change).where(Change.server_id == server_id, Change.kind == message.change)
    if session.scalar(mine.where(Change.at_us == message.at_us, Change.title == message.text)) is not None:
        return True
    seen = mine.where(Change.at_us.between(message.at_us, message.at_us + SAME_CHANGE_US), Change.who == "")
    found: Change | None = None
    if message.change == "setting" and message.object:
        by_values = seen.where(Change.object == message.object, Change.title.like(f"{message.object}{CHANGED_FROM}%"))
        found = session.scalars(by_values.order_by(Change.at_us)).first()
    elif message.change == "schema":
        rows = session.scalars(seen.where(Change.object != "").order_by(Change.at_us))
        found = next((row for row in rows if _names(message.text, row.object)), None)
    if found is not None:
        found.at_us, found.who = message.at_us, message.user
    return found is not None


def record_setting_changes(session: Session, server_id: int, settings: Settings) -> None:
    """A change for every setting whose value is not what it was at the last look.

    Where the log reported the same change, it is that one, at the log's time and with both values.
    """
    before = _snapshot(session, server_id, "settings")
    if before is None:
        return
    old = {row["name"]: row["value"] for row in before.body["settings"]}
    for row in settings.settings:
        if row.name not in old or old[row.name] == row.value:
            continue
        was, now = value_words(old[row.name], row.unit), value_words(row.value, row.unit)
        title = setting_words(row.name, was, now)
        logged = session.scalars(
            _near(server_id, "setting", settings.at_us)
            .where(Change.object == row.name, Change.title.not_like(f"{row.name}{CHANGED_FROM}%"))
            .order_by(Change.at_us.desc())
        ).first()
        change = logged or Change(server_id=server_id, at_us=settings.at_us, kind="setting", object=row.name)
        change.title, change.before, change.after = title, was, now
        session.add(change)


def record_schema_changes(session: Session, server_id: int, schema: Schema) -> None:
    """A change for everything in the schema that is not what it was at the last look; what the log reported has it already, and
    gets what was and what is.
    """
    before = _snapshot(session, server_id, "schema")
    if before is None:
        return
    logged = list(
        session.scalars(_near(server_id, "schema", schema.at_us).where(Change.before == "", Change.after == ""))
    )
    for one in schema_changes(before.body, schema.model_dump()):
        known = next((row for row in logged if _names(row.title, one.object)), None)
        if known is not None:
            logged.remove(known)
        change = known or Change(server_id=server_id, at_us=schema.at_us, kind="schema", title=one.title)
        change.object, change.before, change.after = one.object, one.before, one.after
        session.add(change)


def record_host_changes(
    session: Session, server_id: int, before: Mapping[str, Any], after: Mapping[str, Any], at_us: int
) -> None:
    """A change for cores, memory and each volume that are not as they were; of what was not known before, none."""

    def sizes(host: Mapping[str, Any]) -> dict[str, str]:
        known = {f"volume {one['name']}": binary_size(one["capacity_bytes"]) for one in host.get("volumes") or []}
        memory = host.get("memory_bytes")
        known |= {"cores": str(host["cores"])} if host.get("cores") else {}
        known |= {"memory": binary_size(memory)} if memory else {}
        return known

    was, now = sizes(before), sizes(after)
    for name in sorted(was.keys() & now.keys()):
        if was[name] != now[name]:
            old, new, title = was[name], now[name], fact_words(name, was[name], now[name])
            session.add(
                Change(
                    server_id=server_id, at_us=at_us, kind="hardware", title=title, object=name, before=old, after=new
                )
            )


def record_identity_changes(session: Session, server: Server, told: Identity, at_us: int) -> None:
    """A change for another version, and for a replica that became something else or the other way round: whether a primary has replicas
    just now is none.
    """
    was = {"version": server.engine_version} if server.engine_version else {}
    now = {"version": told.engine_version}
    if "replica" in (server.role, told.role):
        was["role"], now["role"] = server.role, told.role
    for name, kind in (("version", "software"), ("role", "member")):
        old, new = was.get(name), now.get(name)
        if old is None or new is None or old == new:
            continue
        title = fact_words(name, old, new)
        session.add(
            Change(server_id=server.id, at_us=at_us, kind=kind, title=title, object=name, before=old, after=new)
        )


def record_upkeep(session: Session, server_id: int, events: Sequence[TableEvent]) -> None:
    """One change a minute for the tables of which upkeep was run, and one for those of which statistics were gathered."""
    minutes: dict[tuple[int, What], list[TableEvent]] = defaultdict(list)
    for event in events:
        minutes[event.at_us // MINUTE_US, event.what].append(event)
    for (_, what), found in minutes.items():
        tables = sorted({event.table for event in found})
        session.add(
            Change(
                server_id=server_id, at_us=min(event.at_us for event in found), kind="upkeep",
                title=upkeep_words(what, tables), object=tables[0] if len(tables) == 1 else "",
            )
        )  # fmt: skip


def _snapshot(session: Session, server_id: int, kind: str) -> Snapshot | None:
    return session.scalar(select(Snapshot).where(Snapshot.server_id == server_id, Snapshot.kind == kind))


def _near(server_id: int, kind: str, at_us: int) -> Select[Change]:
    between = Change.at_us.between(at_us - SAME_CHANGE_US, at_us + SAME_CHANGE_US)
    return select(Change).where(Change.server_id == server_id, Change.kind == kind, between)


def _names(text: str, thing: str) -> bool:
    """Whether a logged text is about a table or index, with or without its schema."""
    bare = thing.rpartition(".")[2].lower()
    words = {word.strip('"(),;').rpartition(".")[2].strip('"') for word in text.lower().replace("(", " ").split()}
    return bare in words
