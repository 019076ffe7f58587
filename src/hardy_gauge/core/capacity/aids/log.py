"""The log's capacity for the distance between checkpoints that is wanted."""

from __future__ import annotations

from hardy_gauge.core.capacity.aid import Lacking, SizingAid
from hardy_gauge.core.capacity.known import Known
from hardy_gauge.core.capacity.log_capacity import ROOM, capacity_for, distance_of
from hardy_gauge.core.diagnosis.fact import Fact
from hardy_gauge.core.figures.formatting import duration, size

TITLE = "Capacity of the log"


def log_aid(known: Known) -> SizingAid | Lacking:
    """What is set against what is written in one interval of a busy time."""
    written, capacity = known.figures.get("log_bytes_per_s"), known.size("log_capacity_bytes")
    interval, cache = known.number("checkpoint_interval_s"), known.size("buffer_cache_bytes")
    if written is None or capacity is None or interval is None or written.high <= 0:
        return Lacking(TITLE, "the log written, its capacity and the interval of checkpoints are needed")
    wanted, apart = capacity_for(written.high, interval), distance_of(capacity, written.high)
    facts = [
        Fact("log written in 95 minutes of 100", written.high, "B/s", "figures"),
        Fact("capacity of the log", capacity, "B", "settings", wanted),
        Fact("interval of checkpoints", interval, "s", "settings"),
        Fact("between checkpoints that its size forces", apart, "s", "the formula", interval),
        Fact("capacity for the interval", wanted, "B", "the formula"),
    ]
    cautions = [
        "The log since the last checkpoint is applied again after a crash, and it takes that room on its volume.",
        "In the middle of the rate: what is written right after a checkpoint is more, where whole pages are logged.",
    ]
    remedy, cap = None, wanted
    if apart < interval:
        sentence = f"In a busy time the log is full after {duration(apart)}, before the {duration(interval)} of a checkpoint are over: it would have to hold {size(wanted)}."
        if cache is not None and wanted > cache:
            cap = max(cache, capacity)
            cautions.append(
                f"Up to the size of the buffer cache ({size(cache)}) is sensible: what is not in it needs no log kept for it."
            )
        remedy = known.change("log_capacity_bytes", cap, "Let the log be larger") if cap > capacity else None
    elif wanted > capacity:
        sentence = f"{size(capacity)} last for {duration(apart)} of a busy time, little longer than the {duration(interval)} of a checkpoint; {size(wanted)} would leave room for a busier one."
    else:
        sentence = f"{size(capacity)} last for {duration(apart)} of a busy time: checkpoints come by time, each {duration(interval)}, and not by size."
    return SizingAid(
        "log", TITLE, sentence, facts, f"capacity = {ROOM:g} × log written a second × interval", "common practice",
        "setting/log_capacity_bytes", cautions, remedy,
    )  # fmt: skip
