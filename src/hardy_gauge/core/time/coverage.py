"""Coverage: for how long a source was really recorded within a span. Time in several gaps is subtracted once.

Each source has gaps of its own: sessions are not looked at while sampling is off or slowed to nothing, counters are
read all the same. What is counted over intervals is covered by those intervals, each as long as it really was.
"""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from typing import Literal

from hardy_gauge.core.time.span import Span, merged

Source = Literal["samples", "statements", "counters"]
NOT_RECORDED = ("gap", "paused")
# kinds of gaps during which no session was looked at
NOT_SAMPLED = (*NOT_RECORDED, "not sampled", "damaged samples")


@dataclass(frozen=True)
class Gap:
    """A span that was not recorded as it should have been; ``kind`` as the recorder names it."""

    kind: str
    span: Span


def sampled_spans(span: Span, recorded: Span | None, gaps: Iterable[Gap]) -> list[Span]:
    """The parts of ``span`` in which sessions were looked at: inside what was recorded, outside the union of gaps."""
    whole = span.cut(recorded) if recorded is not None else None
    if whole is None:
        return []
    left, found = whole.since_us, []
    for hole in merged(gap.span for gap in gaps if gap.kind in NOT_SAMPLED):
        part = whole.cut(hole)
        if part is None:
            continue
        if part.since_us > left:
            found.append(Span(left, part.since_us))
        left = max(left, part.until_us)
    return [*found, Span(left, whole.until_us)] if left < whole.until_us else found


def seconds(spans: Iterable[Span]) -> float:
    """Their length in all, in seconds."""
    return sum(span.seconds for span in spans)
