"""A typical day: what a figure is at this time on days like this, troubles left out. The default reference.

The like spans of a focus are the same hours of earlier days: of the same weekday where at least three weeks are known,
otherwise of all days of the same kind (weekday or weekend); a focus longer than a day is compared with whole weeks.
This is how the usual range chooses its values, so that both say the same. The typical value is the median over these
spans (Hampel, "The Influence Curve and Its Role in Robust Estimation", JASA 69, 1974: it breaks down only when half of
them are troubled); its spread is from the least to the most of them, of ten and more from the 10% to the 90% quantile.

Of several servers the sums of each day are compared, and their median taken: the median of a sum is not the sum of
medians. A server whose day is left out counts with its own median of the other days.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from hardy_gauge.core.time.span import DAY_US, WEEK_US, Span, is_weekend, overlap_s

Array = NDArray[np.float64]
DAYS = 35
WEEKS_ENOUGH = 3
MANY = 10
LEAST_COVERED = 0.8
MOST_TROUBLED = 0.1


@dataclass(frozen=True)
class Typical:
    """A typical value with its spread, in the figure's unit, from ``spans`` like spans."""

    value: float
    low: float
    high: float
    spans: int

    def holds(self, value: float) -> bool:
        """Whether a value lies within the spread; one span has none."""
        return self.spans > 1 and self.low <= value <= self.high


def like_spans(focus: Span) -> list[Span]:
    """The same hours of earlier days of the same kind, newest first, none of which meets the focus."""
    length = focus.until_us - focus.since_us
    step = DAY_US if length <= DAY_US else WEEK_US * -(-length // WEEK_US)
    moved = [focus.moved(-n * step) for n in range(1, DAYS * DAY_US // step + 1)]
    if step >= WEEK_US:
        return moved
    weekend = is_weekend(focus.since_us)
    return [span for span in moved if is_weekend(span.since_us) == weekend and span.until_us <= focus.since_us]


def is_same_weekday(focus: Span, span: Span) -> bool:
    """Whether the span lies whole weeks before the focus."""
    return (focus.since_us - span.since_us) % WEEK_US == 0


def is_troubled(span: Span, troubles: Sequence[Span]) -> bool:
    """Whether a known trouble takes a tenth of the span or more."""
    return overlap_s(span, troubles) >= MOST_TROUBLED * span.seconds


def median_spread(values: Array) -> Typical | None:
    """Median and spread of one value a span, NaN where it is not known."""
    known = np.sort(values[np.isfinite(values)])
    if not len(known):
        return None
    low, high = (known[0], known[-1]) if len(known) < MANY else np.quantile(known, [0.1, 0.9])
    return Typical(float(np.median(known)), float(low), float(high), len(known))


def typical_sum(values: Array) -> Typical | None:
    """The typical sum over servers. ``values`` is (servers, spans), NaN where a server's span is left out.

    A server that is left out of a span counts there with its median over the others; one that is never known is not
    part of the sum.
    """
    known = values[np.isfinite(values).any(axis=1)] if values.size else values
    if not known.size:
        return None
    finite = np.isfinite(known)
    looked_at, lacking, filled = finite.any(axis=0), ~finite.all(axis=1), known.copy()
    if lacking.any():
        ordered, count = np.sort(known[lacking], axis=1), finite[lacking].sum(axis=1)  # what is not known stands last
        rows = np.arange(len(ordered))
        medians = (ordered[rows, (count - 1) // 2] + ordered[rows, count // 2]) / 2
        filled[lacking] = np.where(finite[lacking], known[lacking], medians[:, None])
    return median_spread(filled[:, looked_at].sum(axis=0))


def typical_ratio(above: Array, below: Array) -> Typical | None:
    """The typical ratio of two sums, both (servers, spans): of each span sum ÷ sum over the servers known there."""
    if not above.size:
        return None
    both = np.isfinite(above) & np.isfinite(below)
    over, under = (np.where(both, part, 0.0).sum(axis=0) for part in (above, below))
    with np.errstate(divide="ignore", invalid="ignore"):
        return median_spread(np.where(under > 0, over / under, np.nan))
