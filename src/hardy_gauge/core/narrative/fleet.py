"""What the Fleet says first, and of each server. What is not known is never counted as usual."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal

from hardy_gauge.core.figures.formatting import clock
from hardy_gauge.core.narrative.capture import CaptureWord
from hardy_gauge.core.narrative.comparison import times
from hardy_gauge.core.reference.shift import Shift

IDLE = 0.005
Standing = Literal["unusual", "usual", "no range", "not recorded"]


@dataclass(frozen=True)
class Stand:
    """How one server stands now: whether its load can be compared with its usual range, and what it says."""

    server: str
    standing: Standing
    capture: CaptureWord
    words: str
    peer_words: str = ""


def standing_of(capture: CaptureWord, value: float | None, centre: float | None, shift: Shift | None) -> Standing:
    """Unusual and usual only where something was recorded just now and a usual range is known."""
    if value is None or capture in ("failing", "stale", "retired", "opened", "waiting"):
        return "not recorded"
    if centre is None:
        return "no range"
    return "usual" if shift is None else "unusual"


def server_words(
    standing: Standing, capture: CaptureWord, capture_words: str, value: float | None, shift: Shift | None, doing: str
) -> str:
    """One server in a few words: "5.1× usual, waiting for row locks, since 14:10"."""
    if standing == "not recorded":
        return capture_words if capture != "recording" else "nothing recorded just now"
    if standing == "no range":
        return f"{doing}; no usual range yet"
    if shift is None:
        return "idle" if value is not None and value < IDLE else "as usual"
    return f"{times(shift.ratio)} usual, {doing}, since {clock(shift.since_us)}"


def fleet_sentence(stands: Sequence[Stand], first: Stand | None) -> str:
    """``first`` is the server furthest from its usual range, None where none is unusual."""
    count = len(stands)
    if not count:
        return "No server is recorded yet."
    usual = sum(one.standing == "usual" for one in stands)
    unusual = sum(one.standing == "unusual" for one in stands)
    rest = _not_compared(stands)
    if first is not None:
        parts = [f"{first.server} is at {first.words}"]
        if unusual > 1:
            parts.append(f"{unusual - 1} more {'differs' if unusual == 2 else 'differ'}")
        if usual:
            all_others = usual == count - 1
            parts.append(f"the other {usual} work as usual" if all_others and usual > 1 else f"{usual} as usual")
    elif usual == count:
        odd = next((one for one in stands if one.peer_words), None)
        head = f"All {count} servers work" if count > 1 else f"{stands[0].server} works"
        parts = [f"{head} as usual for this hour"]
        parts += [f"{odd.server} has {odd.peer_words}"] if odd else []
    elif usual:
        parts = [f"{usual} of {count} servers {'works' if usual == 1 else 'work'} as usual for this hour"]
    else:
        parts = ["Nothing can be called usual or unusual yet"]
    return "; ".join([*parts, *rest]) + "."


def _not_compared(stands: Sequence[Stand]) -> list[str]:
    """Those that cannot be compared, by why."""
    named = {
        "failing": ("does not answer", "do not answer"), "stale": ("was not recorded just now", "were not recorded just now"),
        "waiting": ("has nothing recorded yet", "have nothing recorded yet"), "paused": ("is paused", "are paused"),
        "opened": ("came in a file", "came in files"), "recording": ("reported nothing just now", "reported nothing just now"),
    }  # fmt: skip
    found = []
    for capture, (one, many) in named.items():
        mine = [s.server for s in stands if s.standing == "not recorded" and s.capture == capture]
        if mine:
            found.append(f"{mine[0]} {one}" if len(mine) == 1 else f"{len(mine)} {many}")
    without = [s.server for s in stands if s.standing == "no range"]
    if without:
        found.append(
            f"{without[0]} has no usual range yet" if len(without) == 1 else f"{len(without)} have no usual range yet"
        )
    return found
