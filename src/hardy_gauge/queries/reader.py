"""What every query stands on: the store, the clock, and what is learnt from series and kept for an hour."""

from __future__ import annotations

import threading
from collections import OrderedDict
from collections.abc import Callable, Iterable, Iterator, Sequence
from contextlib import contextmanager
from contextvars import ContextVar
from dataclasses import dataclass, field
from typing import TypeVar, cast

import numpy as np
import polars as pl

from hardy_gauge.context import holding
from hardy_gauge.core.figures.catalogue import FIGURES, Figure
from hardy_gauge.core.figures.minutes import by_minute, by_minute_of_servers
from hardy_gauge.core.reference.shift import Shift, current_shift
from hardy_gauge.core.reference.usual_range import UsualRange, troubled_spans, usual_range
from hardy_gauge.core.time.span import DAY_US, HOUR_US, Span
from hardy_gauge.store import segments
from hardy_gauge.store.database import Store
from hardy_gauge.store.decoded_cache import DecodedCache

T = TypeVar("T")
Times = np.ndarray[tuple[int], np.dtype[np.int64]]
Values = np.ndarray[tuple[int], np.dtype[np.float64]]
USUAL_DAYS = 35
RECENT_LEFT_OUT_US = 2 * HOUR_US
SHIFT_HOURS = 6
KEPT_US = HOUR_US
LEADING = "active_sessions"
KEPT_BYTES = 96 * 2**20
MOST_VERSIONS = 2000


class ReadAhead:
    """Counter rows of several servers that were read together."""

    def __init__(self, server_ids: Iterable[int], span: Span, columns: frozenset[str], frame: pl.DataFrame) -> None:
        self.server_ids, self.span, self.columns = frozenset(server_ids), span, columns
        self._empty = frame.clear()
        parts = frame.partition_by("server_id", as_dict=True, maintain_order=True) if len(frame) else {}
        self._frames = {int(key[0]): (part, part["at_us"].to_numpy()) for key, part in parts.items()}

    def covers(self, server_ids: Iterable[int], span: Span, columns: Iterable[str]) -> bool:
        """Whether what is asked for was read ahead."""
        inside = self.span.since_us <= span.since_us and span.until_us <= self.span.until_us
        return inside and self.columns.issuperset(columns) and self.server_ids.issuperset(server_ids)

    def cut(self, server_ids: Sequence[int], span: Span, columns: Sequence[str]) -> pl.DataFrame:
        """As ``Reader.counters`` gives it."""
        if len(server_ids) == 1:
            return self._cut(server_ids[0], span, columns)
        frames = [frame for one in server_ids if not (frame := self._cut(one, span, columns)).is_empty()]
        return pl.concat(frames).sort("at_us", maintain_order=True) if frames else self._empty

    def _cut(self, server_id: int, span: Span, columns: Sequence[str]) -> pl.DataFrame:
        if server_id not in self._frames:
            return self._empty
        frame, times = self._frames[server_id]
        low, high = np.searchsorted(times, (span.since_us, span.until_us))
        kept = [c for c in dict.fromkeys(("at_us", *columns, "server_id")) if c in frame.columns]
        return frame[low:high, kept]


_ahead: ContextVar[ReadAhead | None] = ContextVar("counters read ahead", default=None)


@dataclass
class Reader:
    """Shared by all requests and by the background worker; thread-safe. ``clock`` gives now in microseconds; ``hours`` has what was made of
    hours that are over (``queries.hourly``).
    """

    store: Store
    clock: Callable[[], int]
    hours: DecodedCache = field(default_factory=lambda: DecodedCache(KEPT_BYTES))
    _learnt: dict[tuple[object, ...], tuple[int, object]] = field(default_factory=dict)
    _versions: OrderedDict[tuple[object, ...], tuple[object, object]] = field(default_factory=OrderedDict)
    _lock: threading.Lock = field(default_factory=threading.Lock)
    _learning: dict[object, threading.Lock] = field(default_factory=dict)

    def counters(
        self, server_ids: Iterable[int], span: Span, columns: Iterable[str] | None = None, keep: bool = True
    ) -> pl.DataFrame:
        """Rows of the servers' counters and levels, oldest first, with every column or those asked for; empty without
        columns where nothing was recorded. ``keep``: they may be asked for again soon.
        """
        wanted, ahead = list(server_ids), _ahead.get()
        if columns is not None:
            columns = list(columns)
            if ahead is not None and ahead.covers(wanted, span, columns):
                return ahead.cut(wanted, span, columns)
        with self.store.read() as session:
            frame = segments.read(session, wanted, "metric", span.since_us, span.until_us, columns, keep)
        return frame if frame.is_empty() or frame["at_us"].is_sorted() else frame.sort("at_us")

    @contextmanager
    def read_ahead(
        self, server_ids: Sequence[int], span: Span, columns: Iterable[str], keep: bool = True
    ) -> Iterator[None]:
        """Within it, what ``counters`` is asked of one server inside the span comes from one read of all."""
        named = list(dict.fromkeys(columns))
        rows = self.counters(server_ids, span, named, keep)
        with holding(_ahead, ReadAhead(server_ids, span, frozenset(named), rows)):
            yield

    def figure(self, server_id: int, name: str, span: Span) -> tuple[Times, Values]:
        """Times and values by minute of one figure of the catalogue, without the minutes in which it has none."""
        return self.minutes(server_id, FIGURES[name], span)

    def minutes(self, server_id: int, figure: Figure, span: Span) -> tuple[Times, Values]:
        """Times and values by minute of any figure, without the minutes in which it has none."""
        times, values = by_minute(self.counters([server_id], span, figure.columns), figure)
        known = np.isfinite(values)
        return cast(Times, times[known]), cast(Values, values[known])

    def usual(self, server_id: int, name: str) -> UsualRange:
        """The usual range of a figure of one server, from up to five weeks before the last two hours."""
        return self.kept(("usual", server_id, name), lambda: self._usual(server_id, name), ("server", server_id))

    def usual_of(self, server_id: int, figures: Sequence[Figure]) -> dict[str, UsualRange]:
        """The usual ranges of any figures of one server, by name, all learnt from one read."""

        def learn() -> dict[str, UsualRange]:
            troubles = self.troubles(server_id)
            columns = dict.fromkeys(c for f in figures for c in f.columns)
            with self.read_ahead([server_id], self.history(), columns, keep=False):
                return {figure.name: self._range(server_id, figure, troubles) for figure in figures}

        names = tuple(figure.name for figure in figures)
        return self.kept(("usual of", server_id, names), learn, ("server", server_id))

    def troubles(self, server_id: int) -> list[Span]:
        """Stretches of the last five weeks in which the server's active sessions were out of all habit."""
        return self.kept(("troubles", server_id), lambda: self._troubles(server_id))

    def shift(self, server_id: int, until_us: int, name: str = LEADING) -> Shift | None:
        """The shift of a figure that is on at ``until_us``, if any."""
        return self.shifts([server_id], until_us, name)[server_id]

    def shifts(self, server_ids: Sequence[int], until_us: int, name: str = LEADING) -> dict[int, Shift | None]:
        """The same of each of several servers, from one read."""
        figure = FIGURES[name]
        frame = self.counters(server_ids, Span(until_us - SHIFT_HOURS * HOUR_US, until_us), figure.columns)
        owners, times, values = by_minute_of_servers(frame, figure)
        found = {}
        for server_id in server_ids:
            mine = slice(*np.searchsorted(owners, (server_id, server_id + 1)))
            known = np.isfinite(values[mine])
            found[server_id] = current_shift(
                times[mine][known], values[mine][known], self.usual(server_id, name), figure.least
            )
        return found

    def kept(self, key: tuple[object, ...], make: Callable[[], T], turn: object = None) -> T:
        """What ``make`` gives, made anew after an hour. Only one thread makes it; ``turn`` names what else waits."""
        now = self.clock()
        with self._lock:
            held = self._learnt.get(key)
            learning = self._learning.setdefault(turn or key, threading.Lock())
        if held is not None and now - held[0] < KEPT_US:
            return cast(T, held[1])
        with learning:
            with self._lock:
                held = self._learnt.get(key)
            if held is None or self.clock() - held[0] >= KEPT_US:
                held = (self.clock(), make())
                with self._lock:
                    self._learnt[key] = held
        return cast(T, held[1])

    def known(self, key: tuple[object, ...]) -> object | None:
        """What is kept under a key, however old; None where it was not made yet. For what must not wait for it."""
        with self._lock:
            held = self._learnt.get(key)
        return None if held is None else held[1]

    def kept_as(self, key: tuple[object, ...], version: object, make: Callable[[], T]) -> T:
        """What ``make`` gave for this version, made anew for another; only the last is kept, of the keys asked for last."""
        with self._lock:
            held = self._versions.get(key)
            if held is not None and held[0] == version:
                self._versions.move_to_end(key)
                return cast(T, held[1])
        made = make()
        with self._lock:
            self._versions[key] = (version, made)
            self._versions.move_to_end(key)
            while len(self._versions) > MOST_VERSIONS:
                self._versions.popitem(last=False)
        return made

    def renew(self, server_id: int) -> None:
        """Learn what is known of one server anew, before it is too old, all figures from one read."""
        span = self.history()
        columns = dict.fromkeys(column for figure in FIGURES.values() for column in figure.columns)
        with self.read_ahead([server_id], span, columns, keep=False):
            now = self.clock()
            troubles = self._troubles(server_id)
            made = {
                ("usual", server_id, name): self._range(server_id, figure, troubles) for name, figure in FIGURES.items()
            }
        with self._lock:
            self._learnt[("troubles", server_id)] = (now, troubles)
            self._learnt.update({key: (now, found) for key, found in made.items()})

    def history(self) -> Span:
        """What usual ranges are learnt from: five weeks, without the last two hours."""
        # by whole minutes, so that all that is learnt in one minute is read once
        now = self.clock() // 60_000_000 * 60_000_000
        return Span(now - USUAL_DAYS * DAY_US, now - RECENT_LEFT_OUT_US)

    def _usual(self, server_id: int, name: str) -> UsualRange:
        return self._range(server_id, FIGURES[name], self.troubles(server_id))

    def _range(self, server_id: int, figure: Figure, troubles: list[Span]) -> UsualRange:
        times, values = self.minutes(server_id, figure, self.history())
        return usual_range(times, values, troubles)

    def _troubles(self, server_id: int) -> list[Span]:
        times, values = self.figure(server_id, LEADING, self.history())
        return troubled_spans(times, values, FIGURES[LEADING].least)
