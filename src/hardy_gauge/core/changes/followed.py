"""What followed a change: figures of the minutes before it against those after it, without the rhythm of the day.

Where a figure's usual course is known, both sides are divided by it, so that a rush that begins anyway is no effect. All figures of a
change are judged together: each has the level of its share of the error (Bonferroni, as in any text on multiple comparisons), so that a
change without effect is said to show one in at most one of twenty.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from hardy_gauge.core.diagnosis.improvement import TRIFLE, after_before
from hardy_gauge.core.time.span import HOUR_US, MINUTE_US, Span

Shown = Literal["shown", "no difference shown", "cannot tell"]
FOLLOWED = ("active_sessions", "response_s", "calls_per_s", "processor_busy", "pages_read_per_s", "log_bytes_per_s")
MOST_US = HOUR_US
ERROR = 0.05
LEAST = 0.1  # days differ from each other by as much anyway (common practice)
WIDE = 0.5  # an interval that reaches further from "the same" than this could hide a difference that matters


@dataclass(frozen=True)
class Effect:
    """One figure before and after, in its unit; ``ratio`` is after ÷ before with its interval, against the usual course where ``rhythm``
    is true. None where it cannot be told.
    """

    name: str
    title: str
    unit: str
    before: float | None
    after: float | None
    ratio: float | None
    low: float | None
    high: float | None
    shown: Shown
    rhythm: bool


@dataclass(frozen=True)
class Minutes:
    """A figure by minute, and its usual course at the same times; NaN where it is not known."""

    times: NDArray[np.int64]
    values: NDArray[np.float64]
    usual: NDArray[np.float64]

    def within(self, span: Span) -> Minutes:
        low, high = np.searchsorted(self.times, (span.since_us, span.until_us))
        return Minutes(self.times[low:high], self.values[low:high], self.usual[low:high])


def spans_around(at_us: int, now_us: int) -> tuple[Span, Span]:
    """Whole minutes of the hour before a change and of the hour after it, without the minute in which it came."""
    minute = at_us // MINUTE_US * MINUTE_US
    begins = minute + MINUTE_US
    return Span(minute - MOST_US, minute), Span(
        begins, max(begins, min(now_us // MINUTE_US * MINUTE_US, begins + MOST_US))
    )


def effect_of(name: str, title: str, unit: str, known: Minutes, around: tuple[Span, Span], figures: int) -> Effect:
    """One of ``figures`` that are judged together."""
    before, after = (known.within(span) for span in around)
    usual = np.concatenate([before.usual, after.usual])
    rhythm = len(usual) > 0 and bool(np.isfinite(usual).all()) and float(usual.min()) > 0
    sides = [side.values / side.usual if rhythm else side.values for side in (before, after)]
    found = after_before(sides[0], sides[1], 1 - ERROR / figures)
    means = [float(side.values.mean()) if len(side.values) else None for side in (before, after)]
    if found is None:
        return Effect(name, title, unit, means[0], means[1], None, None, None, "cannot tell", rhythm)
    shown: Shown = "no difference shown"
    if (found.low > 1 + TRIFLE or found.high < 1 - TRIFLE) and abs(found.ratio - 1) >= LEAST:
        shown = "shown"
    elif max(found.high - 1, 1 - found.low) > WIDE:
        shown = "cannot tell"
    return Effect(name, title, unit, means[0], means[1], found.ratio, found.low, found.high, shown, rhythm)


def judged(effects: Sequence[Effect]) -> Shown:
    """Of a change: shown where any figure shows it; cannot tell where none could have."""
    kinds = {one.shown for one in effects}
    if "shown" in kinds:
        return "shown"
    return "no difference shown" if "no difference shown" in kinds else "cannot tell"
