"""The storage volumes of a server, and when each fills at the rate of its recorded past."""

from __future__ import annotations

from pydantic import BaseModel

from hardy_gauge.api.data import Data
from hardy_gauge.core.capacity.storage import days_until_full
from hardy_gauge.store.models import Server

DAY_US = 86_400_000_000
STORAGE_DAYS = 14


class VolumeOut(BaseModel):
    name: str
    purpose: str
    used_bytes: int
    capacity_bytes: int
    days_left: float | None


def volumes_of(data: Data, owner: Server, now: int) -> list[VolumeOut]:
    """Use, capacity and days left of each volume, as of the last quarter of an hour."""
    return data.kept(owner.id, lambda: _forecast(data, owner, now))


def _forecast(data: Data, owner: Server, now: int) -> list[VolumeOut]:
    names = [f"volume_used.{volume['name']}" for volume in owner.host.get("volumes", [])]
    recorded = data.metrics([owner.id], now - STORAGE_DAYS * DAY_US, now, names)
    rows = []
    for volume in owner.host.get("volumes", []):
        column, left, used = f"volume_used.{volume['name']}", None, volume["used_bytes"]
        if column in recorded.columns:
            values = recorded.select("at_us", column).drop_nulls()
            left = days_until_full(values["at_us"].to_numpy(), values[column].to_numpy(), volume["capacity_bytes"])
            used = int(values[column][-1]) if len(values) else used
        rows.append(
            VolumeOut(
                name=volume["name"], purpose=volume["purpose"], used_bytes=used,
                capacity_bytes=volume["capacity_bytes"], days_left=left,
            )
        )  # fmt: skip
    return rows
