"""Settings of a server that differ: from its peers, from their default, or that wait for a restart."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

from sqlalchemy import select

from hardy_gauge.queries.reader import Reader
from hardy_gauge.store.models import Server, Snapshot


@dataclass(frozen=True)
class SettingOut:
    """``differs_from`` are peers where the value is another; ``concerns`` work, or only names, locale and files."""

    name: str
    value: float | int | str | bool
    default: float | int | str | bool | None
    unit: str | None
    applies: str
    description: str
    context: str
    pending: bool
    concerns: str
    differs_from: list[str]


def settings_that_differ(reader: Reader, owner: Server, peers: Sequence[Server]) -> list[SettingOut]:
    """What concerns the work first, and of that what is unlike on peers, then what waits for a restart."""
    with reader.store.read() as session:
        found = session.scalars(
            select(Snapshot).where(
                Snapshot.kind == "settings", Snapshot.server_id.in_([owner.id, *(p.id for p in peers)])
            )
        )
        by_server: dict[int, dict[str, dict[str, Any]]] = {
            row.server_id: {setting["name"]: setting for setting in row.body["settings"]} for row in found
        }
    others = {peer.name: by_server[peer.id] for peer in peers if peer.id in by_server}
    rows = []
    for name, setting in by_server.get(owner.id, {}).items():
        differs = [peer for peer, known in others.items() if name in known and known[name]["value"] != setting["value"]]
        changed = setting["default"] not in (None, setting["value"]) and setting["applies"] != "never"
        pending = bool(setting.get("pending"))
        if differs or changed or pending:
            rows.append(
                SettingOut(
                    name, setting["value"], setting["default"], setting["unit"], setting["applies"], setting["description"],
                    setting.get("context", ""), pending, setting.get("concerns", "work"), differs,
                )
            )  # fmt: skip
    rows.sort(key=lambda row: (row.concerns != "work", not row.differs_from, not row.pending, row.name))
    return rows
