"""The cache curve of a server, from the pages that it is asked for now, or as a forecast from looks at what is cached: made when somebody
asks for it.
"""

from __future__ import annotations

import time
from collections.abc import Callable

import polars as pl

from hardy_gauge.capture.access import probe_of
from hardy_gauge.core.capacity.cache_curve import PAGE_BYTES, CacheCurveSheet, cache_curve, curve_sheet
from hardy_gauge.core.capacity.cache_forecast import looks_of
from hardy_gauge.core.capacity.forecast_sheet import forecast_sheet
from hardy_gauge.core.capacity.sheet import APART_S, LOOKS
from hardy_gauge.errors import Unsupported
from hardy_gauge.probes.protocol import LooksAtCache, TracesPages
from hardy_gauge.queries.reader import Reader
from hardy_gauge.queries.scope import server_named
from hardy_gauge.queries.sizing import setting_bytes

ASKS = 400_000


def cache_curve_of(reader: Reader, name: str, wait: Callable[[float], None] = time.sleep) -> CacheCurveSheet:
    """NotFound where there is no such server; Unsupported where it tells neither; ProbeError where it does not answer. ``wait`` is given the
    seconds between two looks.
    """
    server = server_named(reader, name)
    set_bytes = setting_bytes(reader, server, "buffer_cache_bytes")
    told = {"page_trace", "cached_pages"} & {*server.abilities}
    if not told:
        raise Unsupported(f"{name} tells neither which pages are asked for nor what is cached")
    probe = probe_of(reader.store, server.id)
    try:
        if "page_trace" in told and isinstance(probe, TracesPages):
            return curve_sheet(name, cache_curve(probe.page_trace(ASKS), PAGE_BYTES), set_bytes)
        assert isinstance(probe, LooksAtCache)
        return forecast_sheet(name, looks_of(_looked(probe, wait)), set_bytes)
    finally:
        probe.close()


def _looked(probe: LooksAtCache, wait: Callable[[float], None]) -> pl.DataFrame:
    looks, began = [], time.monotonic()
    for number in range(LOOKS):
        if number:
            wait(APART_S)
        seen = pl.lit(number).alias("look"), pl.lit(time.monotonic() - began).alias("at_s")
        looks.append(probe.cached_pages().with_columns(seen))
    return pl.concat(looks)
