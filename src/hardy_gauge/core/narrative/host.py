"""What is said of a host."""

from __future__ import annotations

from collections.abc import Sequence

from hardy_gauge.core.figures.formatting import duration, share, size
from hardy_gauge.core.host.sheet import HostVolume, Piece

IDLE = ("iowait",)
NEAR = 0.8
FAR_DAYS = 3650


def host_sentence(
    server: str,
    cores: int | None,
    busy: Sequence[Piece],
    memory: Sequence[Piece],
    total: int | None,
    volumes: Sequence[HostVolume],
) -> str:
    """How busy the cores are, how full the memory, which volume is nearest to a limit or to being full."""
    if cores is None and total is None and not volumes:
        return f"{server} does not tell what machine it runs on; an agent beside it would."
    parts = []
    if cores is not None and busy:
        used = sum(one.value for one in busy if one.name not in IDLE)
        parts.append(f"{used:.2g} of {cores} cores are busy ({share(used / cores)})")
    if total and memory:
        free = sum(one.value for one in memory if one.name.startswith("free"))
        parts.append(f"{share(1 - free / total)} of memory is used")
    near = [one for one in volumes if (part := limit_part(one)) is not None and part >= NEAR]
    if near:
        parts.append(f"volume {near[0].name} is at {share(limit_part(near[0]) or 0.0)} of what was bought")
    soon = min(
        (one for one in volumes if one.days_left is not None), key=lambda one: one.days_left or 0.0, default=None
    )
    if soon is not None:
        parts.append(f"volume {soon.name} fills in {duration((soon.days_left or 0.0) * 86_400)}")
    elif volumes:
        parts.append("no volume is filling")
    told = ", ".join(parts) if parts else "nothing of its host was recorded in this window"
    return f"On {server}, {told}."


def limit_part(volume: HostVolume) -> float | None:
    """The part of the nearer of its limits that is used; None where it has none, or its requests are not known."""
    parts = []
    if volume.operations_limit and volume.reads is not None:
        parts.append(((volume.reads or 0.0) + (volume.writes or 0.0)) / volume.operations_limit)
    if volume.bytes_limit and volume.bytes is not None:
        parts.append(volume.bytes / volume.bytes_limit)
    return max(parts, default=None)


def fills_words(
    days_left: float | None, lately: bool, soonest: float | None = None, latest: float | None = None
) -> str:
    """When a volume fills, with its band where that is known: "fills in 23 days (19 to 31 days)"."""
    if days_left is None:
        return "does not fill, as far as is known"
    if days_left > FAR_DAYS:
        return "does not fill within ten years"
    band = ""
    if soonest is not None:
        last = "or later" if latest is None or latest > FAR_DAYS else f"to {duration(latest * 86_400)}"
        first, said = duration(soonest * 86_400), duration(days_left * 86_400)
        # a band that is narrower than the figures are said is none to read
        band = "" if first == said and last == f"to {said}" else f" ({first} {last})"
    return f"fills in {duration(days_left * 86_400)}{band}" + (", by the last two hours" if lately else "")


def space_words(allocated: float, needed: float, most: str, most_bytes: float) -> str:
    """What tables take, what their rows need, and where most of the rest is."""
    where = f", and most of what is over is in {most} ({size(most_bytes)})" if most_bytes > 0 else ""
    return f"Tables take {size(allocated)}; their rows need {size(needed)}{where}."
