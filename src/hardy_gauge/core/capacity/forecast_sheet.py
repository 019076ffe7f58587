"""What a forecast of the cache curve says, in words."""

from __future__ import annotations

from hardy_gauge.core.capacity.cache_curve import PAGE_BYTES, CacheCurveSheet, CachePoint, at_size
from hardy_gauge.core.capacity.cache_forecast import CacheLooks, cache_forecast
from hardy_gauge.core.figures.formatting import share, size

NOTE = (
    "A forecast, not a measurement: from {looks} looks in {seconds:.0f} s at how much of each table and index is cached, and how much of what was"
    " asked for was found ({requests:,} requests). The line takes the pages of each to be asked for by a power law. The band: a curve that grows ever"
    " slower finds at least what lies straight between nothing, today and all, and at most what today's slope, taken a quarter wrong, would bring."
    " Pages that are read may still come from the memory of the system. Try a size before you trust it."
)


def forecast_sheet(server: str, looks: CacheLooks, now_bytes: float | None) -> CacheCurveSheet:
    """Of today's size, half of it and twice it."""
    curve = cache_forecast(looks, PAGE_BYTES)
    if curve is None:
        sentence = f"Too little was asked for or read on {server} in {looks.seconds:.0f} s to say what another size would find."
        return CacheCurveSheet(sentence, "", None, now_bytes, None, True)
    note = NOTE.format(looks=looks.looks, seconds=looks.seconds, requests=curve.requests)
    if not now_bytes:
        return CacheCurveSheet(
            f"Forecast of what {server} would find with caches of other sizes.", note, curve, now_bytes, None, True
        )
    now = at_size(curve, now_bytes)
    half = f"half of it would find {_told(at_size(curve, now_bytes / 2))}"
    if looks.full:
        sizes = f"{half}, twice as much {_told(at_size(curve, now_bytes * 2))}"
    else:
        sizes = f"{half}; it is not full, so more would find no more"
    found = f"Forecast: the {size(now_bytes)} of {server} find {share(now.hit_ratio)} of the pages asked for"
    return CacheCurveSheet(f"{found}; {sizes}.", note, curve, now_bytes, now, True)


def _told(point: CachePoint) -> str:
    return f"{share(point.hit_ratio)} ({share(point.low)} to {share(point.high)})"
