"""A forecast of the cache curve from looks at what is cached, where a server does not tell which pages are asked for.

Of each table and index is known how many pages it has, how many of all pages the cache holds, and how many of the requests were found. Its
pages are taken to be asked for by a power law of their rank (Zipf, "Human Behavior and the Principle of Least Effort", 1949), as steep as
what was found asks for; what another size finds follows by the approximation of Che, Tung and Wang ("Hierarchical Web caching systems",
IEEE Journal on Selected Areas in Communications 20(7), 2002): a page is held that was asked for within the last T seconds.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
import polars as pl
from numpy.typing import NDArray
from scipy.special import stdtrit

from hardy_gauge.core.capacity.cache_curve import KNEE, CacheCurve, CachePoint

Floats = NDArray[np.float64]
SLICES, POINTS, ROUNDS = 48, 30, 40
FEWEST_REQUESTS, FEWEST_READS = 1000, 30
MOST_PARTS = 200
STEEPEST, USUAL = 3.0, 0.7  # exponents: the steepest that is tried; what is taken where nothing was read
NEARLY = 0.95  # of its pages: what is held of a part so nearly whole does not tell how steep it is
FREE = 0.02  # of the pages held: with more than that free, the cache is not full
TANGENT = 1.25  # by how much the slope at today's size may be wrong, for the upper end of the band


@dataclass(frozen=True)
class CachedPart:
    """A table or index: pages ``held`` and in all; requests that were found and that were read while the looks were taken."""

    held: float
    pages: float
    hits: float
    reads: float


@dataclass(frozen=True)
class CacheLooks:
    """What came out of the looks; ``ratios``: what was found between one look and the next; ``full``: the cache has no free pages."""

    parts: Sequence[CachedPart]
    ratios: Sequence[float]
    looks: int
    seconds: float
    full: bool


def looks_of(frame: pl.DataFrame) -> CacheLooks:
    """``frame`` has ``look``, ``at_s``, ``object`` (empty for free pages), ``held``, ``pages``, and ``hits`` and ``reads`` so far."""
    rows = frame.filter(pl.col("object") != "").sort("look")
    free = float(frame.filter(pl.col("object") == "").group_by("look").agg(pl.col("held").sum())["held"].mean() or 0.0)  # type: ignore[arg-type]
    grown = [(pl.col(name).last() - pl.col(name).first()).clip(0).alias(name) for name in ("hits", "reads")]
    grouped = rows.group_by("object", maintain_order=True).agg(pl.col("held").mean(), pl.col("pages").max(), *grown)
    parts = [
        CachedPart(held, max(pages, held), hits, reads)
        for held, pages, hits, reads in grouped.select("held", "pages", "hits", "reads").iter_rows()
    ]
    sums = rows.group_by("look").agg(pl.col("hits", "reads").sum()).sort("look").select(pl.col("hits", "reads").diff())
    ratios = [hits / (hits + reads) for hits, reads in sums.drop_nulls().iter_rows() if hits + reads > 0]
    times = rows["at_s"].to_list()
    seconds = max(times) - min(times) if times else 0.0
    held = math.fsum(one.held for one in parts)
    return CacheLooks(parts, ratios, rows["look"].n_unique(), seconds, free < FREE * max(held, 1.0))


def cache_forecast(looks: CacheLooks, page_bytes: int) -> CacheCurve | None:
    """Up to all pages, or up to what is held where the cache is not full. The band: below by the chord to nothing and to all, above by the
    tangent at today's size, both of which a curve that grows ever slower keeps to, with the interval of today's ratio (a mean of batches).
    None where too little was asked for or read to say anything of another size.
    """
    parts = _largest([one for one in looks.parts if one.pages > 0 and (one.held or one.hits or one.reads)])
    hits, reads, held = (math.fsum(getattr(one, name) for one in parts) for name in ("hits", "reads", "held"))
    if hits + reads < FEWEST_REQUESTS or held < 1 or (looks.full and reads < FEWEST_READS):
        return None
    every = math.fsum(one.pages for one in parts) if looks.full else held
    sizes = np.unique(
        np.concatenate([np.geomspace(max(held / 64, 1.0), held, POINTS), np.linspace(held, every, POINTS)])
    )
    asked, now = hits + reads, hits / (hits + reads)
    line = _Fitted(parts, held, looks.full).ratios(sizes, held) * now
    line = np.minimum(line, now if not looks.full else 1.0)
    step = np.array([held * 0.97, min(held * 1.03, every)])
    slope = float(np.diff(np.interp(step, sizes, line))[0] / (step[1] - step[0]))
    gain = math.fsum(one.reads for one in parts if not _read_through(one)) / asked
    below, room = sizes <= held, max(every - held, 1e-9)
    low = np.where(below, now * sizes / held, now + gain * (sizes - held) / room)
    high = now + slope * np.where(below, 1 / TANGENT, TANGENT) * (sizes - held)
    half = _half_width(looks.ratios)
    low = np.clip(np.minimum(low, line) - half, 0.0, 1.0)
    high = np.clip(np.maximum(high, line) + half, 0.0, 1.0)
    points = [
        CachePoint(float(at * page_bytes), *map(float, told)) for at, *told in zip(sizes, line, low, high, strict=True)
    ]
    knee = next(one.bytes for one in points if one.hit_ratio >= KNEE * points[-1].hit_ratio)
    return CacheCurve(points, knee, float(every * page_bytes), round(asked), 0.0)


def _largest(parts: Sequence[CachedPart]) -> Sequence[CachedPart]:
    """Those asked for most, and all others as one."""
    by_asked = sorted(parts, key=lambda one: one.hits + one.reads, reverse=True)
    rest = by_asked[MOST_PARTS:]
    if not rest:
        return by_asked
    sums = (math.fsum(getattr(one, name) for one in rest) for name in ("held", "pages", "hits", "reads"))
    return [*by_asked[:MOST_PARTS], CachedPart(*sums)]


def _read_through(one: CachedPart) -> bool:
    """Found less than pages asked for evenly would be: read in order, so that a larger cache finds no more before it holds all."""
    return one.hits < (one.hits + one.reads) * one.held / one.pages


class _Fitted:
    """Requests by slices of ranks, each part as steep as what was found of it asks for. Times are in spans of the looks."""

    def __init__(self, parts: Sequence[CachedPart], held: float, full: bool) -> None:
        self.places = [_ranks(one.pages) for one in parts]
        self.counts = np.array([np.diff(one) for one in self.places])  # (parts, slices)
        self.middles = np.array(
            [np.sqrt(np.maximum(one[:-1] + 0.5, 0.5) * np.maximum(one[1:], 1.0)) for one in self.places]
        )
        self.asked = np.array([one.hits + one.reads for one in parts])
        self.found = np.array([one.hits for one in parts]) / np.maximum(self.asked, 1e-9)
        self.told = np.array([full and one.reads > 0 and one.held < NEARLY * one.pages for one in parts])
        low, high = -40.0, 40.0
        for _ in range(ROUNDS):
            middle = (low + high) / 2
            low, high = (middle, high) if self._held(math.exp(middle)) < held else (low, middle)
        self.rates = self._rates(self._exponents(math.exp(low)))
        # where even an even spread finds more than was found, what is found at any size is less by that part
        at_now = self._hits(self.rates, math.exp(low))
        self.scale = np.where(self.told, np.minimum(self.found * self.asked / np.maximum(at_now, 1e-9), 1.0), 1.0)

    def _rates(self, exponents: Floats) -> Floats:
        weights = self.middles ** -exponents[:, None]
        rates: Floats = (
            self.asked[:, None] * weights / np.maximum((weights * self.counts).sum(axis=1, keepdims=True), 1e-300)
        )
        return rates

    def _hits(self, rates: Floats, time: float) -> Floats:
        hits: Floats = (self.counts * rates * -np.expm1(-rates * time)).sum(axis=1)
        return hits

    def _exponents(self, time: float) -> Floats:
        """By bisection, as what was found of each part asks for when pages are held for so long; the usual one of parts that tell none."""
        low, high = np.zeros(len(self.asked)), np.full(len(self.asked), STEEPEST)
        for _ in range(ROUNDS // 2):
            middle = (low + high) / 2
            less = self._hits(self._rates(middle), time) < self.found * self.asked
            low, high = np.where(less, middle, low), np.where(less, high, middle)
        usual = float(np.average(low[self.told], weights=self.asked[self.told])) if self.told.any() else USUAL
        return np.where(self.told, low, usual)

    def _held(self, time: float) -> float:
        rates = self._rates(self._exponents(time))
        return float((self.counts * -np.expm1(-rates * time)).sum())

    def ratios(self, sizes: Floats, held: float) -> Floats:
        """What each size finds ÷ what today's does."""
        times = np.exp(np.linspace(-40, 40, 400))
        pages = np.array([(self.counts * -np.expm1(-self.rates * one)).sum() for one in times])
        found = np.array([(self._hits(self.rates, one) * self.scale).sum() for one in times])
        ratios: Floats = np.interp(sizes, pages, found) / max(float(np.interp(held, pages, found)), 1e-9)
        return ratios


def _ranks(pages: float) -> Floats:
    """Ends of slices of ranks: thin for those asked for most, (slices + 1,)."""
    ends = np.geomspace(1.0, max(pages, 1.0) + 1.0, SLICES + 1) - 1.0
    return ends * max(pages, 1.0) / ends[-1] if ends[-1] > 0 else np.linspace(0, 1, SLICES + 1)


def _half_width(ratios: Sequence[float]) -> float:
    if len(ratios) < 2:
        return 0.0
    return float(stdtrit(len(ratios) - 1, 0.975) * np.std(ratios, ddof=1) / math.sqrt(len(ratios)))
