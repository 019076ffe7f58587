"""The storage volumes of a server, and when each fills at the rate of its recorded past."""

from __future__ import annotations

from dataclasses import dataclass

from hardy_gauge.core.capacity.storage import days_until_full
from hardy_gauge.core.time.span import DAY_US, Span
from hardy_gauge.queries.reader import Reader
from hardy_gauge.store.models import Server

STORAGE_DAYS = 14


@dataclass(frozen=True)
class VolumeOut:
    """``days_left`` is None where use does not grow or is not known for long enough."""

    name: str
    purpose: str
    used_bytes: int
    capacity_bytes: int
    days_left: float | None


def volumes_of(reader: Reader, owner: Server, now_us: int) -> list[VolumeOut]:
    """Use, capacity and days left of each volume, as of the last hour."""
    return reader.kept(("volumes", owner.id), lambda: _forecast(reader, owner, now_us))


def _forecast(reader: Reader, owner: Server, now_us: int) -> list[VolumeOut]:
    names = [f"volume_used.{volume['name']}" for volume in owner.host.get("volumes", [])]
    recorded = reader.counters([owner.id], Span(now_us - STORAGE_DAYS * DAY_US, now_us), names)
    rows = []
    for volume in owner.host.get("volumes", []):
        column, left, used = f"volume_used.{volume['name']}", None, volume["used_bytes"]
        if column in recorded.columns:
            values = recorded.select("at_us", column).drop_nulls()
            left = days_until_full(values["at_us"].to_numpy(), values[column].to_numpy(), volume["capacity_bytes"])
            used = int(values[column][-1]) if len(values) else used
        rows.append(VolumeOut(volume["name"], volume["purpose"], used, volume["capacity_bytes"], left))
    return rows
