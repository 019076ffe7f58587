"""The storage volumes of a server, and when each fills at the rate of its recorded past."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import polars as pl

from hardy_gauge.core.capacity.storage import fill_forecast
from hardy_gauge.core.time.span import DAY_US, MINUTE_US, Span
from hardy_gauge.queries.reader import Reader
from hardy_gauge.store.models import Server

STORAGE_DAYS = 14
QUARTER_US = 15 * MINUTE_US
LATELY_US, FEWEST_STEPS, FASTER = 8 * QUARTER_US, 6, 3.0


@dataclass(frozen=True)
class VolumeOut:
    """``days_left`` is None where use does not grow or is not known for long enough; ``lately``: by how it filled over the last two
    hours, where it did so all the time and far faster than over the weeks before. ``soonest_days`` and ``latest_days`` are its 95% band; None where it
    is not known, the latter also where it may never fill.
    """

    name: str
    purpose: str
    used_bytes: int
    capacity_bytes: int
    days_left: float | None
    lately: bool = False
    soonest_days: float | None = None
    latest_days: float | None = None


def volumes_of(reader: Reader, owner: Server, now_us: int) -> list[VolumeOut]:
    """Use, capacity and days left of each volume, as of the last hour."""
    return reader.kept(("volumes", owner.id), lambda: _forecast(reader, owner, now_us))


def _forecast(reader: Reader, owner: Server, now_us: int) -> list[VolumeOut]:
    names = [f"volume_used.{volume['name']}" for volume in owner.host.get("volumes", [])]
    recorded = reader.counters([owner.id], Span(now_us - STORAGE_DAYS * DAY_US, now_us), names, keep=False)
    rows = []
    for volume in owner.host.get("volumes", []):
        column, found, used = f"volume_used.{volume['name']}", None, volume["used_bytes"]
        if column in recorded.columns:
            values = recorded.select("at_us", column).drop_nulls()
            found = fill_forecast(values["at_us"].to_numpy(), values[column].to_numpy(), volume["capacity_bytes"])
            used = int(values[column][-1]) if len(values) else used
            soon = _days_left_lately(values, column, now_us, volume["capacity_bytes"])
            if soon is not None and (found is None or soon < found.days / FASTER):
                rows.append(
                    VolumeOut(volume["name"], volume["purpose"], used, volume["capacity_bytes"], soon, lately=True)
                )
                continue
        band = (found.soonest, found.latest) if found else (None, None)
        days = found.days if found else None
        rows.append(VolumeOut(volume["name"], volume["purpose"], used, volume["capacity_bytes"], days, False, *band))
    return rows


def _days_left_lately(values: pl.DataFrame, column: str, now_us: int, capacity: float) -> float | None:
    """None where a quarter of an hour of the last two hours went by without growth."""
    known = values.filter(pl.col("at_us") >= now_us - LATELY_US)
    ends = (
        known.group_by(pl.col("at_us") // QUARTER_US)
        .agg(pl.col(column).last(), pl.col("at_us").last().alias("t"))
        .sort("t")
    )
    steps = np.diff(ends[column].to_numpy()) / np.maximum(np.diff(ends["t"].to_numpy()), 1) * DAY_US
    if len(steps) < FEWEST_STEPS or float(steps.min()) <= 0:
        return None
    return (capacity - float(known[column][-1])) / float(np.median(steps))
