"""Forecasts from looks at a simulated clock (Corbató 1968, with counters as PostgreSQL has them), against the same clock at other sizes."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
import polars as pl
import pytest

from hardy_gauge.core.capacity.cache_curve import at_size
from hardy_gauge.core.capacity.cache_forecast import cache_forecast, looks_of
from hardy_gauge.core.capacity.forecast_sheet import forecast_sheet

PAGE = 8192
MOST_USES = 5
Part = tuple[int, float, float]  # pages, share of requests, exponent of the power law


class Clock:
    """A cache whose hand takes one from the counter of each page it passes, and drops the first page without one."""

    def __init__(self, pages: int) -> None:
        self.page, self.uses, self.where, self.hand, self.free = [-1] * pages, [0] * pages, dict[int, int](), 0, pages

    def ask(self, page: int) -> bool:
        place = self.where.get(page)
        if place is not None:
            self.uses[place] = min(self.uses[place] + 1, MOST_USES)
            return True
        if self.free:
            self.free -= 1
            place = self.free
        else:
            while self.uses[self.hand]:
                self.uses[self.hand] -= 1
                self.hand = (self.hand + 1) % len(self.page)
            place, self.hand = self.hand, (self.hand + 1) % len(self.page)
            del self.where[self.page[place]]
        self.page[place], self.uses[place], self.where[page] = page, 1, place
        return False


def looked(parts: Sequence[Part], size: int, seed: int, warm: int = 60_000, each: int = 12_000) -> pl.DataFrame:
    """Six looks at a clock that is warm."""
    draw, clock = np.random.default_rng(seed), Clock(size)
    starts = np.cumsum([0, *(pages for pages, _, _ in parts)])
    weights = [np.arange(1, pages + 1) ** -exponent for pages, _, exponent in parts]
    found, rows = np.zeros((len(parts), 2), dtype=int), []

    def play(requests: int) -> None:
        which = draw.choice(len(parts), requests, p=[share for _, share, _ in parts])
        asked = np.empty(requests, dtype=int)
        for number, weight in enumerate(weights):
            mine = which == number
            asked[mine] = starts[number] + draw.choice(len(weight), mine.sum(), p=weight / weight.sum())
        for number, page in zip(which.tolist(), asked.tolist(), strict=True):
            found[number, 0 if clock.ask(page) else 1] += 1

    play(warm)
    for look in range(6):
        if look:
            play(each)
        owners = np.searchsorted(starts, [one for one in clock.page if one >= 0], side="right") - 1
        for number, (pages, _, _) in enumerate(parts):
            rows.append(
                (
                    look,
                    3.0 * look,
                    str(number),
                    float((owners == number).sum()),
                    float(pages),
                    *map(float, found[number]),
                )
            )
        rows.append((look, 3.0 * look, "", float(clock.free), 0.0, 0.0, 0.0))
    return pl.DataFrame(rows, schema=["look", "at_s", "object", "held", "pages", "hits", "reads"], orient="row")


def ratio_of(frame: pl.DataFrame) -> float:
    looks = looks_of(frame)
    hits, reads = (sum(getattr(one, name) for one in looks.parts) for name in ("hits", "reads"))
    return hits / (hits + reads)


CASES: dict[str, Sequence[Part]] = {
    "evenly": [(3000, 1.0, 0.0)],
    "a power law": [(3000, 1.0, 1.0)],
    "a flat one": [(3000, 1.0, 0.7)],
    "an index and its table": [(200, 0.5, 0.3), (3000, 0.5, 0.8)],
    "three of each kind": [(150, 0.5, 0.2), (800, 0.3, 0.9), (2500, 0.2, 0.3)],
    "few asked for always, many seldom": [(200, 0.9, 0.0), (4000, 0.1, 0.0)],
}


@pytest.mark.parametrize("parts", CASES.values(), ids=CASES.keys())
def test_the_band_holds_what_other_sizes_find(parts: Sequence[Part]) -> None:
    size = 600
    curve = cache_forecast(looks_of(looked(parts, size, 1)), PAGE)
    assert curve is not None and curve.touched_bytes == sum(pages for pages, _, _ in parts) * PAGE
    assert at_size(curve, size * PAGE).hit_ratio == pytest.approx(ratio_of(looked(parts, size, 3)), abs=0.02)
    for factor in (0.5, 2.0, 3.0):
        told, there = at_size(curve, factor * size * PAGE), ratio_of(looked(parts, int(factor * size), 2))
        assert told.low - 0.01 <= there <= told.high + 0.01, (factor, there, told)
        assert told.hit_ratio == pytest.approx(there, abs=0.12), (factor, there, told)
    ratios = [one.hit_ratio for one in curve.points]
    assert ratios == sorted(ratios) and all(one.low <= one.hit_ratio <= one.high for one in curve.points)


def frame_of(*rows: tuple[str, float, float, float, float]) -> pl.DataFrame:
    """Six looks, the last after ``hits`` and ``reads`` that grew evenly."""
    told = [
        (look, 3.0 * look, name, held, pages, hits * look / 5, reads * look / 5)
        for look in range(6)
        for name, held, pages, hits, reads in rows
    ]
    return pl.DataFrame(told, schema=["look", "at_s", "object", "held", "pages", "hits", "reads"], orient="row")


def test_a_table_that_is_read_through_promises_nothing_at_least() -> None:
    """Read in order again and again, a cache that does not hold all of it finds nothing of it (common practice)."""
    looks = looks_of(frame_of(("visit", 500.0, 5000.0, 10.0, 20_000.0), ("loan", 500.0, 500.0, 20_000.0, 0.0)))
    curve = cache_forecast(looks, PAGE)
    assert curve is not None
    twice = at_size(curve, 2000 * PAGE)
    assert twice.low == pytest.approx(0.5, abs=0.01) and twice.hit_ratio > twice.low


def test_a_cache_that_is_not_full() -> None:
    looks = looks_of(frame_of(("loan", 400.0, 400.0, 9000.0, 5.0), ("", 600.0, 0.0, 0.0, 0.0)))
    sheet = forecast_sheet("stacks-a", looks, 1000.0 * PAGE)
    assert sheet.forecast and sheet.curve is not None and sheet.curve.touched_bytes == 400 * PAGE
    assert "not full, so more would find no more" in sheet.sentence and "Forecast" in sheet.sentence


def test_too_little_is_said() -> None:
    for rows in (
        [("loan", 400.0, 4000.0, 200.0, 50.0)],
        [("loan", 400.0, 4000.0, 20_000.0, 3.0)],
        [("", 5.0, 0.0, 0.0, 0.0)],
    ):
        sheet = forecast_sheet("stacks-a", looks_of(frame_of(*rows)), 1000.0 * PAGE)
        assert sheet.curve is None and "Too little" in sheet.sentence


def test_thousands_of_parts() -> None:
    """Partitions and their indexes: the many that hardly anybody asks for are one."""
    rows = [(f"visit_{number}", 1.0, 10.0, 60.0, 4.0) for number in range(3000)]
    curve = cache_forecast(looks_of(frame_of(*rows)), PAGE)
    assert curve is not None and curve.touched_bytes == 30_000 * PAGE
    assert at_size(curve, 3000 * PAGE).hit_ratio == pytest.approx(60 / 64, abs=0.02)
