"""Differences of cumulative counters, with resets and restarts kept apart from work done."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

LEAST_SPAN_S = 0.5
FIRST = "the first reading of what counts up has none to compare with"
AGAIN = "a second reading at the same moment, or an earlier one"
FELL = "it fell since the reading before, so it was reset between them"
LONGEST_FACTOR = 5.0


@dataclass(frozen=True)
class Reading:
    """Counters at a moment of one life of the server; times in microseconds."""

    at_us: int
    started_at_us: int
    values: Mapping[str, float]


@dataclass(frozen=True)
class Difference:
    """What was done between two readings; ``span_s`` in seconds."""

    from_us: int
    span_s: float
    values: dict[str, float]


@dataclass(frozen=True)
class Unusable:
    """Two readings whose difference means nothing, and why: restart, reset, or a clock that stepped."""

    kind: str
    reason: str


def difference(before: Reading, after: Reading) -> Difference | Unusable:
    """``after`` − ``before``, counter by counter. A counter new in ``after`` counts from zero.

    A restart or any counter that went back makes the whole difference unusable: what was done before
    the reset is not known, so nothing is guessed.
    """
    if after.started_at_us != before.started_at_us:
        return Unusable("reset", "the server was restarted")
    span = (after.at_us - before.at_us) / 1e6
    if span < LEAST_SPAN_S:
        return Unusable("clock", f"the server's clock moved by {span:.1f} s between two readings")
    values = {name: value - before.values.get(name, 0.0) for name, value in after.values.items()}
    back = [name for name, value in values.items() if value < -1e-6 * abs(after.values[name]) - 1e-9]
    if back:
        return Unusable("reset", f"counter {back[0]} went back")
    return Difference(before.at_us, span, {name: max(0.0, value) for name, value in values.items()})


def growth(last: tuple[int, float] | None, at_us: int, value: float) -> tuple[int, float] | str:
    """Since when, and by how much, one counter has grown since its ``last`` moment and value; why not, if it cannot be
    said: the first reading, one that is not later, or a reset.
    """
    if last is None:
        return FIRST
    if at_us <= last[0]:
        return AGAIN
    return FELL if value < last[1] else (last[0], value - last[1])
