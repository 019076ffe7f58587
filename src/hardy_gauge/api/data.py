"""What the routers share: the store, the clock, and series with their usual range."""

from __future__ import annotations

import threading
from collections.abc import Callable, Iterable
from dataclasses import dataclass, field
from typing import Annotated, TypeVar, cast

import numpy as np
import polars as pl
from fastapi import Depends, Request

from hardy_gauge.core.reference.shift import Shift, current_shift
from hardy_gauge.core.reference.usual_range import UsualRange, usual_range
from hardy_gauge.settings import AppSettings
from hardy_gauge.store import segments
from hardy_gauge.store.database import Store

T = TypeVar("T")
MINUTE_US = 60_000_000
HOUR_US = 60 * MINUTE_US
DAY_US = 24 * HOUR_US
USUAL_DAYS = 35
RECENT_LEFT_OUT_US = 2 * HOUR_US
SHIFT_HOURS = 6
KEPT_US = 60 * MINUTE_US

FIGURES: dict[str, tuple[str, str]] = {
    "active_sessions": ("time_s", "span_s"),
    "response_s": ("time_s", "calls"),
    "calls_per_s": ("calls", "span_s"),
    "processor_busy": ("processor_busy_s", "span_s"),
    "data_volume_busy": ("data_volume_busy_s", "span_s"),
    "log_volume_busy": ("log_volume_busy_s", "span_s"),
    "pages_read_per_s": ("pages_read", "span_s"),
    "commits_per_s": ("commits", "span_s"),
    "log_bytes_per_s": ("log_bytes", "span_s"),
    "read_share": ("pages_read", "pages_requested"),
}
# the least difference from usual that anyone would notice, in the figure's unit
LEAST = {"active_sessions": 0.05}


@dataclass
class Data:
    """Shared by all requests; thread-safe."""

    store: Store
    settings: AppSettings
    clock: Callable[[], int]
    _usual: dict[tuple[int, str], tuple[int, UsualRange]] = field(default_factory=dict)
    _growth: dict[int, tuple[int, object]] = field(default_factory=dict)
    _lock: threading.Lock = field(default_factory=threading.Lock)
    _learning: dict[int, threading.Lock] = field(default_factory=dict)

    def metrics(
        self, server_ids: Iterable[int], since_us: int, until_us: int, columns: Iterable[str] | None = None
    ) -> pl.DataFrame:
        """Metric rows, oldest first, with every column or the ones asked for."""
        with self.store.read() as session:
            frame = segments.read(session, list(server_ids), "metric", since_us, until_us, columns)
        return frame if frame.is_empty() else frame.sort("at_us")

    def figure(self, frame: pl.DataFrame, name: str) -> tuple[np.ndarray, np.ndarray]:
        """Times and values of one figure by minute; NaN where its divisor is zero."""
        above, below = FIGURES[name]
        if frame.is_empty() or above not in frame.columns or below not in frame.columns:
            return np.array([], dtype=np.int64), np.array([])
        sums = (
            frame.drop_nulls([above, below])
            .group_by("at_us")
            .agg(pl.col(above).sum(), pl.col(below).mean() if below == "span_s" else pl.col(below).sum())
        )
        sums = sums.sort("at_us")
        divisor = sums[below].to_numpy().astype(float)
        with np.errstate(divide="ignore", invalid="ignore"):
            values = np.where(divisor > 0, sums[above].to_numpy() / divisor, np.nan)
        return sums["at_us"].to_numpy(), values

    def usual(self, server_id: int, name: str) -> UsualRange:
        """The usual range of a figure of one server, from up to five weeks before the last two hours."""
        now = self.clock()
        key = (server_id, name)
        kept = self._usual.get(key)
        if kept is None or now - kept[0] >= KEPT_US:
            self.renew_usual(server_id, [name], now - KEPT_US)
        return self._usual[key][1]

    def renew_usual(self, server_id: int, names: Iterable[str], older_us: int | None = None) -> None:
        """Learn usual ranges of one server, but not those that were learnt after ``older_us`` while this waited."""
        with self._lock:
            learning = self._learning.setdefault(server_id, threading.Lock())
        with learning:
            held = {name: self._usual.get((server_id, name)) for name in names}
            wanted = [n for n, kept in held.items() if older_us is None or kept is None or kept[0] <= older_us]
            if wanted:
                self._learn_usual(server_id, wanted)

    def _learn_usual(self, server_id: int, names: list[str]) -> None:
        """Compute usual ranges of one server; they are kept for an hour."""
        now = self.clock()
        columns = dict.fromkeys(column for name in names for column in FIGURES[name])
        frame = self.metrics([server_id], now - USUAL_DAYS * DAY_US, now - RECENT_LEFT_OUT_US, columns)
        for name in names:
            times, values = self.figure(frame, name)
            good = np.isfinite(values)
            with self._lock:
                self._usual[(server_id, name)] = (now, usual_range(times[good], values[good]))

    def kept(self, server_id: int, make: Callable[[], T]) -> T:
        """What ``make`` gives about a server's storage, made anew every hour."""
        now = self.clock()
        with self._lock:
            held = self._growth.get(server_id)
        if held is None or now - held[0] > KEPT_US:
            held = (now, make())
            with self._lock:
                self._growth[server_id] = held
        return cast(T, held[1])

    def shift(self, server_id: int, name: str = "active_sessions") -> Shift | None:
        """The shift of a figure that is on now, if any."""
        now = self.clock()
        frame = self.metrics([server_id], now - SHIFT_HOURS * HOUR_US, now, FIGURES[name])
        times, values = self.figure(frame, name)
        good = np.isfinite(values)
        return current_shift(times[good], values[good], self.usual(server_id, name), LEAST.get(name, 0.0))


def data_of(request: Request) -> Data:
    data: Data = request.app.state.data
    return data


CurrentData = Annotated[Data, Depends(data_of)]
