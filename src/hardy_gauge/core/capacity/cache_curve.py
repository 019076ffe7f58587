"""What a buffer cache of each size would leave to be read: hit ratio by size, from a trace of the pages that statements ask for.

The cache is one that drops the least recently used page; what engines do is close to it, and not the same. Common practice: the hit
ratio is 1 − pages read ÷ pages asked for.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
import polars as pl
from scipy.special import stdtrit

from hardy_gauge.core.capacity.stack_distance import NEVER, Ints, stack_distances
from hardy_gauge.core.figures.formatting import share, size

POINTS, BATCHES = 40, 20
WARM = 0.5  # of the trace: what comes before only fills the cache
KNEE = 0.95  # of what the largest size wins
PAGE_BYTES = 8192  # of the probe protocol


@dataclass(frozen=True)
class CachePoint:
    """A size in bytes, and the part of requests that would find their page there, with the 95% interval of a mean of batches."""

    bytes: float
    hit_ratio: float
    low: float
    high: float


@dataclass(frozen=True)
class CacheCurve:
    """``points`` by size, up to all pages that were asked for; ``knee_bytes`` is the least size that wins 95% of what the largest
    does; ``first_share`` are requests of pages that were not asked for before in the trace: the trace does not tell what they would find.
    """

    points: Sequence[CachePoint]
    knee_bytes: float
    touched_bytes: float
    requests: int
    first_share: float


def cache_curve(trace: pl.DataFrame, page_bytes: int) -> CacheCurve | None:
    """``trace`` has ``object`` and ``page``, one row a request, in order. None of a trace that asks for nothing twice."""
    pages = trace.select(pl.struct("object", "page").rank("dense").cast(pl.Int64)).to_series().to_numpy()
    begin = int(len(pages) * WARM)
    distances = stack_distances(pages)[begin:]
    again = distances[distances != NEVER]
    if len(again) < BATCHES:
        return None
    touched = int(pages.max())
    # evenly in size and where the curve rises, so that no step of it is drawn as a slope
    rises = np.quantile(again, np.linspace(0, 1, POINTS), method="higher")
    sizes = np.unique(np.concatenate([np.geomspace(1, touched, POINTS).round(), rises, rises - 1, [touched]]))
    sizes = sizes[sizes >= 1].astype(np.int64)
    points = [_point(distances, int(one), page_bytes) for one in sizes]
    knee = _least_size(again, KNEE * len(again))
    first_share = 1 - len(again) / len(distances)
    return CacheCurve(points, float(knee * page_bytes), float(touched * page_bytes), len(distances), first_share)


@dataclass(frozen=True)
class CacheCurveSheet:
    """``now_bytes`` is the size that is set, None where it is not known, ``now`` what it would find; no curve where nothing is asked for twice.
    ``forecast``: from what is cached, not from the pages that are asked for.
    """

    sentence: str
    note: str
    curve: CacheCurve | None
    now_bytes: float | None
    now: CachePoint | None
    forecast: bool = False


def curve_sheet(server: str, curve: CacheCurve | None, now_bytes: float | None) -> CacheCurveSheet:
    """What the curve says of the size that is set."""
    if curve is None:
        return CacheCurveSheet(
            f"Too few pages are asked for twice on {server} just now for a curve.", "", None, now_bytes, None
        )
    note = (
        f"From {curve.requests:,} requests, after as many that filled the cache; {share(curve.first_share)} asked for a page that was not asked for"
        " before, which no size would find. For a cache that drops the page that was not used for longest."
    )
    knee = f"{size(curve.knee_bytes)} find 95% of what any size finds"
    now = at_size(curve, now_bytes) if now_bytes else None
    if now is None:
        return CacheCurveSheet(f"On {server}, {knee}.", note, curve, now_bytes, None)
    enough = "more than that is set" if now.bytes >= curve.knee_bytes else "less than that is set"
    found = f"the {size(now.bytes)} of {server} find {share(now.hit_ratio)} of the pages asked for"
    return CacheCurveSheet(
        f"{found[0].upper()}{found[1:]}. {knee[0].upper()}{knee[1:]}: {enough}.", note, curve, now_bytes, now
    )


def at_size(curve: CacheCurve, wanted: float) -> CachePoint:
    """What a size of so many bytes would find, between the points of the curve."""
    sizes = [one.bytes for one in curve.points]
    ratio, low, high = (
        float(np.interp(wanted, sizes, [getattr(one, name) for one in curve.points]))
        for name in ("hit_ratio", "low", "high")
    )
    return CachePoint(wanted, ratio, low, high)


def _point(distances: Ints, pages: int, page_bytes: int) -> CachePoint:
    """The interval is of batch means: requests that follow each other are alike (Law and Kelton, "Simulation Modeling and Analysis")."""
    hits = distances <= pages
    means = np.array([part.mean() for part in np.array_split(hits, BATCHES)])
    half = float(stdtrit(BATCHES - 1, 0.975) * means.std(ddof=1) / np.sqrt(BATCHES))
    ratio = float(hits.mean())
    return CachePoint(float(pages * page_bytes), ratio, max(ratio - half, 0.0), min(ratio + half, 1.0))


def _least_size(again: Ints, wanted: float) -> int:
    """The least number of pages that so many requests find theirs in."""
    return int(np.sort(again)[max(int(np.ceil(wanted)) - 1, 0)])
