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
from hardy_gauge.core.time.span import SECOND_US, Span
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
    """What the focus is compared with, for one source. A typical day of a window that moves on is that of the last whole minute."""
    reference = window.reference
    if reference.kind == "server":
        other = [server_named(reader, str(reference.server))]
        return _of(reader, other, window, [window.focus], source, _looked(reader, other, [window.focus], source))
    if reference.span is not None:
        return _of(
            reader, list(servers), window, [reference.span], source, _looked(reader, servers, [reference.span], source)
        )
    if not window.following:
        return _typical_day(reader, servers, window, source)
    window, ids = window.by_minute(), tuple(server.id for server in servers)
    key = ("typical day", source, ids, window.focus.seconds)
    return reader.kept_as(key, window.focus, lambda: _typical_day(reader, servers, window, source))


def _typical_day(reader: Reader, servers: Sequence[Server], window: Window, source: Source) -> ReferenceSpans:
    spans = like_spans(window.focus)
    same = [span for span in spans if is_same_weekday(window.focus, span)]
    looked = _looked(reader, servers, spans, source)
    near = _typical(reader, list(servers), window, same, source, looked)
    enough = np.isfinite(near.seconds).sum(axis=1) >= WEEKS_ENOUGH
    if enough.all() or len(spans) == len(same):
        return near
    # each server is compared with days of its own weekday where it has enough of them
    return _typical(reader, list(servers), window, spans, source, looked, enough)


def _typical(
    reader: Reader,
    servers: list[Server],
    window: Window,
    spans: list[Span],
    source: Source,
    looked: Mapping[int, list[Span]],
    one_weekday: NDArray[np.bool_] | None = None,
) -> ReferenceSpans:
    """The like spans that were recorded nearly whole, without those of known trouble where others are left; of the
    servers marked in ``one_weekday`` only those of the focus's own weekday.
    """
    found = _of(reader, servers, window, spans, source, looked)
    lengths = np.array([span.seconds for span in spans])
    seconds = np.where(found.seconds >= LEAST_COVERED * lengths, found.seconds, np.nan) if spans else found.seconds
    if one_weekday is not None:
        other = np.array([not is_same_weekday(window.focus, span) for span in spans])
        seconds[np.ix_(one_weekday, other)] = np.nan
    troubled = 0
    if seconds.size:
        bad = np.zeros(seconds.shape, dtype=bool)
        found_troubles = troubles_found(reader, [server.id for server in servers], window.focus.since_us)
        for i, server in enumerate(servers):
            troubles = [*reader.troubles(server.id), *found_troubles[server.id]]
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


def _looked(
    reader: Reader, servers: Sequence[Server], spans: Sequence[Span], source: Source
) -> Mapping[int, list[Span]]:
    """When sessions were looked at, by server, from the first to the last of the spans; nothing for other sources."""
    if source != "samples" or not spans:
        return {}
    return sampled(reader, servers, Span(min(s.since_us for s in spans), max(s.until_us for s in spans)))


def _of(
    reader: Reader, servers: list[Server], window: Window, spans: list[Span], source: Source, looked: Mapping[int, list[Span]]
) -> ReferenceSpans:  # fmt: skip
    seconds = np.full((len(servers), len(spans)), np.nan)
    for number, span in enumerate(spans):
        if source != "samples":
            recorded = covered(reader, servers, span, source)
            seconds[:, number] = [recorded.get(server.id) or np.nan for server in servers]
    if source == "samples" and spans:
        seconds[:] = 0.0
        since, until = (np.array([getattr(span, end) for span in spans]) for end in ("since_us", "until_us"))
        for place, server in enumerate(servers):
            for part in looked.get(server.id, []):  # these do not meet each other
                shared = np.minimum(until, part.until_us) - np.maximum(since, part.since_us)
                seconds[place] += np.clip(shared, 0, None) / SECOND_US
        seconds[seconds == 0] = np.nan
    return ReferenceSpans(window, servers, spans, seconds, 0)
