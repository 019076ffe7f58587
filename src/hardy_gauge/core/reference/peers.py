"""Which of several servers that should look alike does not.

The modified z-score of Iglewicz and Hoaglin (*How to Detect and Handle Outliers*, 1993): 0.6745 · (x − median) ÷ MAD,
with |M| above 3.5 an outlier. Taken of logarithms, since loads differ by factors; the spread counts as a tenth at least, so
that peers which agree very closely do not make a trifle stand out.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

Array = NDArray[np.float64]
FEWEST = 3
UNLIKE = 3.5
LEAST_SPREAD = 0.1
MOST_UNEVEN = 1.25
SURE = 4.0


@dataclass(frozen=True)
class Distance:
    """How far a server is from its peers: in the figure in which it is furthest, how many times their median."""

    figure: str
    distance: float
    times: float

    @property
    def unlike(self) -> bool:
        """Whether the distance is beyond 3.5 (Iglewicz and Hoaglin 1993)."""
        return abs(self.distance) > UNLIKE


def modified_z(values: Array, least_spread: float = 0.0) -> Array:
    """0.6745 · (x − median) ÷ MAD of each value; ``least_spread`` is the least that the MAD counts as."""
    middle = np.median(values)
    spread = max(float(np.median(np.abs(values - middle))), least_spread)
    return np.asarray(0.6745 * (values - middle) / spread) if spread else np.zeros(len(values))


def distances(figures: Mapping[str, Sequence[float | None]], least: Mapping[str, float]) -> list[Distance | None]:
    """Of each server, by its place in every figure's list. ``least`` is added to a figure before it is compared: what is
    next to nothing. None where fewer than three servers report a figure: of two, nobody knows which is the odd one.
    """
    count = max((len(values) for values in figures.values()), default=0)
    found: list[Distance | None] = [None] * count
    for name, reported in figures.items():
        here = [i for i, value in enumerate(reported) if value is not None]
        if len(here) < FEWEST:
            continue
        values = np.array([float(reported[i] or 0.0) + least.get(name, 0.0) for i in here])
        if (values <= 0).any():
            continue
        times = values / float(np.median(values))
        for place, z, ratio in zip(here, modified_z(np.log(values), LEAST_SPREAD), times, strict=True):
            known = found[place]
            if known is None or abs(z) > abs(known.distance):
                found[place] = Distance(name, float(z), float(ratio))
    return found


def slowest(times: Sequence[float | None]) -> tuple[int, float] | None:
    """Place of the one that takes longest, and how many times the median of the others; None where fewer than two are known, or where
    it takes less than a quarter more.
    """
    known = [(value, place) for place, value in enumerate(times) if value]
    if len(known) < 2:
        return None
    value, place = max(known)
    ratio = value / float(np.median([other for other, at in known if at != place]))
    return (place, ratio) if ratio >= MOST_UNEVEN else None


def uneven(counts: Sequence[float]) -> tuple[int, float] | None:
    """Place and share of the one that does more than its part, or None.

    It must do a quarter more than the mean, and that by four standard deviations of a Poisson count, so that chance alone
    is not called uneven.
    """
    if len(counts) < 2:
        return None
    total, mean = sum(counts), sum(counts) / len(counts)
    place = int(np.argmax(counts))
    if mean <= 0 or counts[place] < MOST_UNEVEN * mean or (counts[place] - mean) / mean**0.5 < SURE:
        return None
    return place, counts[place] / total
