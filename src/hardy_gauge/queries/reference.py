"""The reference of a window: which spans of which servers the focus is compared with, and typical values over them."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from hardy_gauge.core.narrative.comparison import reference_note
from hardy_gauge.core.reference.typical_day import (
    LEAST_COVERED,
    WEEKS_ENOUGH,
    Typical,
    is_same_weekday,
    is_troubled,
    like_spans,
    typical_ratio,
    typical_sum,
)
from hardy_gauge.core.time.coverage import Source
from hardy_gauge.core.time.span import Span, overlap_s
from hardy_gauge.core.time.window import Window
from hardy_gauge.queries.coverage import covered, sampled
from hardy_gauge.queries.findings import troubles_found
from hardy_gauge.queries.reader import Reader
from hardy_gauge.queries.scope import server_named
from hardy_gauge.store.models import Server

Array = NDArray[np.float64]


@dataclass(frozen=True)
class ReferenceSpans:
    """``seconds`` (servers, spans): how long each was recorded, NaN where it is left out; ``troubled`` spans of which at
    least one server was left out for a known trouble.
    """

    window: Window
    servers: list[Server]
    spans: list[Span]
    seconds: Array
    troubled: int

    @property
    def known(self) -> bool:
        """Whether anything is known of the reference."""
        return bool(np.isfinite(self.seconds).any())

    def note(self) -> str:
        """What the focus is compared with, in a sentence."""
        without = [server.name for server, row in zip(self.servers, self.seconds, strict=True) if np.isnan(row).all()]
        return reference_note(self.window, self.spans if self.known else [], self.troubled, without)

    def empty(self) -> Array:
        """Zeros of the cells that are compared, NaN elsewhere: what was not seen there did not happen."""
        return np.where(np.isfinite(self.seconds), 0.0, np.nan)

    def grids(self, rows: Iterable[tuple[object, int, int, float]]) -> dict[object, Array]:
        """Arrays (servers, spans) by key from rows of key, server id, number of the span, sum."""
        place = {server.id: i for i, server in enumerate(self.servers)}
        found: dict[object, Array] = {}
        for key, server_id, number, value in rows:
            grid = found.get(key)
            if grid is None:
                grid = found[key] = self.empty()
            grid[place[server_id], number] += value
        return found

    def rate(self, grid: Array | None) -> Typical | None:
        """The typical sum a second of a grid of sums; of nothing seen, zero."""
        return typical_sum((self.empty() if grid is None else grid) / self.seconds) if self.known else None

    def ratio(self, above: Array | None, below: Array | None) -> Typical | None:
        """The typical ratio of two grids of sums; None where the lower one was never seen."""
        return None if above is None or below is None else typical_ratio(above, below)


def reference_spans(reader: Reader, servers: Sequence[Server], window: Window, source: Source) -> ReferenceSpans:
    """What the focus is compared with, for one source."""
    reference = window.reference
    if reference.kind == "server":
        other = [server_named(reader, str(reference.server))]
        return _of(reader, other, window, [window.focus], source)
    if reference.span is not None:
        return _of(reader, list(servers), window, [reference.span], source)
    spans = like_spans(window.focus)
    same = [span for span in spans if is_same_weekday(window.focus, span)]
    near = _typical(reader, list(servers), window, same, source)
    enough = np.isfinite(near.seconds).sum(axis=1) >= WEEKS_ENOUGH
    if enough.all() or len(spans) == len(same):
        return near
    # each server is compared with days of its own weekday where it has enough of them
    return _typical(reader, list(servers), window, spans, source, enough)


def _typical(
    reader: Reader,
    servers: list[Server],
    window: Window,
    spans: list[Span],
    source: Source,
    one_weekday: NDArray[np.bool_] | None = None,
) -> ReferenceSpans:
    """The like spans that were recorded nearly whole, without those of known trouble where others are left; of the
    servers marked in ``one_weekday`` only those of the focus's own weekday.
    """
    found = _of(reader, servers, window, spans, source)
    lengths = np.array([span.seconds for span in spans])
    seconds = np.where(found.seconds >= LEAST_COVERED * lengths, found.seconds, np.nan) if spans else found.seconds
    if one_weekday is not None:
        other = np.array([not is_same_weekday(window.focus, span) for span in spans])
        seconds[np.ix_(one_weekday, other)] = np.nan
    troubled = 0
    if seconds.size:
        bad = np.zeros(seconds.shape, dtype=bool)
        for i, server in enumerate(servers):
            troubles = [*reader.troubles(server.id), *troubles_found(reader, server.id, window.focus.since_us)]
            bad[i] = [is_troubled(span, troubles) for span in spans]
        bad &= np.isfinite(seconds)
        # a server that had nothing but trouble is compared with that: the median is the best that is known
        bad &= (np.isfinite(seconds) & ~bad).any(axis=1, keepdims=True)
        troubled = int(bad.any(axis=0).sum())
        seconds = np.where(bad, np.nan, seconds)
    kept = [seconds.shape[0] > 0 and bool(np.isfinite(seconds[:, number]).any()) for number in range(len(spans))]
    return ReferenceSpans(
        window, servers, [span for span, ok in zip(spans, kept, strict=True) if ok], seconds[:, kept], troubled
    )


def _of(reader: Reader, servers: list[Server], window: Window, spans: list[Span], source: Source) -> ReferenceSpans:
    seconds = np.full((len(servers), len(spans)), np.nan)
    looked: Mapping[int, list[Span]] = {}
    if source == "samples" and spans:
        whole = Span(min(s.since_us for s in spans), max(s.until_us for s in spans))
        looked = sampled(reader, servers, whole)
    for number, span in enumerate(spans):
        if source == "samples":
            recorded = {server.id: overlap_s(span, looked.get(server.id, [])) for server in servers}
        else:
            recorded = covered(reader, servers, span, source)
        seconds[:, number] = [recorded.get(server.id) or np.nan for server in servers]
    return ReferenceSpans(window, servers, spans, seconds, 0)
