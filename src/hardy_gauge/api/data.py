"""What the routers share: the store, the clock, and series with their usual range."""

from __future__ import annotations

import threading
from collections.abc import Callable, Iterable, Iterator, Sequence
from contextlib import contextmanager
from contextvars import ContextVar
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


class Ahead:
    """Metric rows of several servers that were read together."""

    def __init__(self, since_us: int, until_us: int, columns: frozenset[str], frame: pl.DataFrame) -> None:
        self.since_us, self.until_us, self.columns = since_us, until_us, columns
        self._empty = frame.clear()
        parts = frame.partition_by("server_id", as_dict=True, maintain_order=True) if len(frame) else {}
        self._frames = {int(key[0]): (part, part["at_us"].to_numpy()) for key, part in parts.items()}

    def covers(self, since_us: int, until_us: int, columns: Iterable[str]) -> bool:
        return self.since_us <= since_us and until_us <= self.until_us and self.columns.issuperset(columns)

    def cut(self, server_id: int, since_us: int, until_us: int, columns: Iterable[str]) -> pl.DataFrame:
        """As ``Data.metrics`` gives it."""
        if server_id not in self._frames:
            return self._empty
        frame, times = self._frames[server_id]
        low, high = np.searchsorted(times, (since_us, until_us))
        kept = [c for c in dict.fromkeys(("at_us", *columns, "server_id")) if c in frame.columns]
        return frame[low:high, kept]


_ahead: ContextVar[Ahead | None] = ContextVar("metrics read ahead", default=None)


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
        wanted, ahead = list(server_ids), _ahead.get()
        if ahead is not None and columns is not None and len(wanted) == 1:
            named = list(columns)
            if ahead.covers(since_us, until_us, named):
                return ahead.cut(wanted[0], since_us, until_us, named)
            columns = named
        with self.store.read() as session:
            frame = segments.read(session, wanted, "metric", since_us, until_us, columns)
        return frame if frame.is_empty() else frame.sort("at_us")

    @contextmanager
    def read_ahead(
        self, server_ids: Sequence[int], since_us: int, until_us: int, columns: Iterable[str]
    ) -> Iterator[None]:
        """Within it, what ``metrics`` is asked of one server inside the span comes from one read of all."""
        named = list(dict.fromkeys(columns))
        frame = self.metrics(server_ids, since_us, until_us, named)
        token = _ahead.set(Ahead(since_us, until_us, frozenset(named), frame))
        try:
            yield
        finally:
            _ahead.reset(token)

    def figure(self, frame: pl.DataFrame, name: str) -> tuple[np.ndarray, np.ndarray]:
        """Times and values of one figure by minute; NaN where its divisor is zero."""
        above, below = FIGURES[name]
        if frame.is_empty() or above not in frame.columns or below not in frame.columns:
            return np.array([], dtype=np.int64), np.array([])
        over, under = (frame[c].to_numpy().astype(float) for c in (above, below))  # null is NaN here
        told = ~(np.isnan(over) | np.isnan(under))
        times, first = np.unique(frame["at_us"].to_numpy()[told], return_index=True)
        if not len(times):
            return np.array([], dtype=np.int64), np.array([])
        over, under = (np.add.reduceat(values[told], first) for values in (over, under))
        if below == "span_s":
            under = under / np.diff(np.append(first, told.sum()))
        with np.errstate(divide="ignore", invalid="ignore"):
            return times, np.where(under > 0, over / under, np.nan)

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
