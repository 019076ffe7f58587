"""A run of a trial while it goes on, second by second, and its figures as the sheet shows them."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any

MOST_S = 600  # whole seconds that are shown: the last ones
TITLES = {"processor": "processor busy", "read_bytes": "bytes read from disks", "write_bytes": "bytes written to disks"}
UNITS = {"read_bytes": "B/s", "write_bytes": "B/s"}


@dataclass(frozen=True)
class LiveRun:
    """By whole second from ``since_s`` of the run: executions that ``ended`` and ``failed``, mean seconds of those that ended (None in a
    second without), active sessions by wait family, and figures of the host (``processor`` as a share, others a second); both None in a second in which
    nobody looked. Waits and host are empty where nobody tells them.
    """

    arm: str
    seconds: float
    since_s: int = 0
    ended: Sequence[int] = ()
    failed: Sequence[int] = ()
    mean_s: Sequence[float | None] = ()
    families: Mapping[str, Sequence[float | None]] = field(default_factory=dict)
    host: Mapping[str, Sequence[float | None]] = field(default_factory=dict)


@dataclass(frozen=True)
class LiveLine:
    """A figure by second; the ``family`` where it is of one."""

    name: str
    values: Sequence[float | None]
    family: str | None = None


@dataclass(frozen=True)
class LivePicture:
    """Lines on one scale, in one unit."""

    title: str
    unit: str
    lines: Sequence[LiveLine]


@dataclass(frozen=True)
class LiveSheet:
    """``sentence`` says which run goes on and how far it is, ``place`` is that of its arm in the design; pictures show ``shown_s`` seconds of it, from ``since_s``."""

    sentence: str
    place: int
    since_s: int
    shown_s: float
    pictures: Sequence[LivePicture]


def live_sheet(run: Mapping[str, Any], number: int, places: Mapping[str, int]) -> LiveSheet:
    """Of a run as it is stored while it goes on, the ``number``-th of its trial; ``places`` of arms (``arm_places``)."""
    arm, seconds, since = run["arm"], run["seconds"], run["since_s"]
    done = since + len(run["ended"])
    pictures = [
        LivePicture("executions that ended", "/s", [LiveLine(arm, run["ended"])]),
        LivePicture("mean duration", "s", [LiveLine(arm, run["mean_s"])]),
        LivePicture("executions that failed", "/s", [LiveLine(arm, run["failed"])]),
    ]
    if run["families"]:
        lines = [LiveLine(family, values, family) for family, values in run["families"].items()]
        pictures.append(LivePicture("active sessions by wait family", "", lines))
    pictures += [
        LivePicture(TITLES.get(name, f"{name} busy"), UNITS.get(name, "share"), [LiveLine(name, values)])
        for name, values in run["host"].items()
    ]
    return LiveSheet(
        f"Run {number} goes on: {arm}, second {done} of {seconds:g}.",
        places.get(arm, 0),
        since,
        max(done - since, min(seconds, MOST_S)),
        pictures,
    )
