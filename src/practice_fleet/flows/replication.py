"""A replica applies the log of its primary: one process, page by page, as fast as its own caches and volume let it.

The lag is not set anywhere: it is how long ago the log came that is being applied now. It grows while more work
comes than is done, and shrinks again when there is time.
"""

from __future__ import annotations

import numpy as np

from practice_fleet.conditions import State
from practice_fleet.flows.base import Flow, asked_for, spans
from practice_fleet.physics.queueing import Array
from practice_fleet.physics.storage import Others, Volume
from practice_fleet.scenario.units import PAGE_BYTES
from practice_fleet.server import DAY_US, MINUTE_US, PracticeServer

APPLY_PAGE_S = 8e-6
READ_AHEAD = 8
DAY_MINUTES = DAY_US // MINUTE_US
STANDS_STILL, READER_CYCLE = 5, 10
MOST_BUSY = 0.9


class LogFlow(Flow):
    """Log of ``primary`` that ``replica`` applies, worked out by whole days from the start of the history on."""

    def __init__(self, primary: PracticeServer, replica: PracticeServer) -> None:
        self.primary, self.replica = primary, replica
        self.start_us = replica.start_us // DAY_US * DAY_US
        self._seen = (0, 0)
        self._days: list[_Day] = []

    def changes(self) -> int:
        return len(self.primary.influences)

    def _day(self, day: int) -> _Day:
        seen = (len(self.primary.influences), len(self.replica.influences))
        if seen != self._seen:  # what was done to either changes nothing before it began
            new = self.primary.influences[self._seen[0] :] + self.replica.influences[self._seen[1] :]
            anchor = self.primary.anchor_us
            begun = min((influence.start_us(anchor) for influence in new), default=self.start_us)
            del self._days[max(0, (begun - self.start_us) // DAY_US) :]
            self._seen = seen
        while len(self._days) <= day:
            self._days.append(self._make(len(self._days)))
        return self._days[day]

    def _make(self, day: int) -> _Day:
        first = self.start_us + day * DAY_US
        flow = asked_for(self.primary, first, DAY_MINUTES, _changed_and_logged)
        apply_s, read_share, capacity, processor_s = np.empty((4, DAY_MINUTES))
        for state, a, count in spans(self.replica, first, DAY_MINUTES):
            begin = (a - first) // MINUTE_US
            part = slice(begin, begin + count)
            read_share[part] = _read_share(self.primary.state(a), state)
            latency = Volume.of(state.hardware.data_volume).latency_s
            # others that want more cores than there are leave the one process its share of the time
            stretched = max(1.0, (state.now.background_cores + 1) / state.hardware.cores)
            reading = read_share[part] * latency / READ_AHEAD
            working = APPLY_PAGE_S / state.hardware.core_speed
            processor_s[part] = (working + reading) * state.now.apply_slowdown - reading
            apply_s[part] = processor_s[part] * stretched + reading
            stands = state.now.long_reader & (np.arange(begin, begin + count) % READER_CYCLE < STANDS_STILL)
            capacity[part] = np.where(stands | state.now.down, 0.0, 60.0 / apply_s[part])
        before = self._days[-1] if self._days else None
        pages, written, logged = flow
        return _Day(pages, written, logged, apply_s, processor_s, read_share, capacity, before)

    def _over(self, first_us: int, minutes: int, name: str) -> Array:
        """A figure of the days by minute, for a span that may reach over midnight."""
        first = (first_us - self.start_us) // MINUTE_US
        days = range(first // DAY_MINUTES, (first + minutes - 1) // DAY_MINUTES + 1)
        whole = np.concatenate([getattr(self._day(day), name) for day in days])
        return np.asarray(whole[first % DAY_MINUTES :][:minutes])

    def others(self, first_us: int, minutes: int) -> Others | None:
        """Pages read to be changed, and changed pages written, as the primary changes them."""
        read = self._over(first_us, minutes, "pages_per_s") * self._over(first_us, minutes, "read_share")
        pages = read + self._over(first_us, minutes, "written_per_s")
        return Others.of_pages(pages, Volume.of(self.replica.state(first_us).hardware.data_volume))

    def metrics(self, first_us: int, minutes: int) -> dict[str, Array]:
        pages = self._over(first_us, minutes, "pages_per_s") * 60
        return {
            "pages_written": self._over(first_us, minutes, "written_per_s") * 60,
            "pages_read": pages * self._over(first_us, minutes, "read_share"),
            "log_bytes_applied": self._over(first_us, minutes, "bytes_per_s") * 60,
            "apply_busy_s": self._over(first_us, minutes, "busy_s"),
            "apply_processor_s": self._over(first_us, minutes, "working_s"),
        }

    def levels(self, at_us: np.ndarray) -> dict[str, Array]:
        """Seconds between the primary's change and the replica's, and log bytes between them."""
        lag, waiting = np.empty((2, len(at_us)))
        days = (at_us - self.start_us) // DAY_US
        for day in np.unique(days):
            here = days == day
            moments = (at_us[here] - self.start_us) % DAY_US / MINUTE_US
            lag[here], waiting[here] = self._day(int(day)).lag(moments)
        network = self.replica.cluster.host.network_latency_s
        return {"replica_lag_s": lag + network, "replica_lag_bytes": waiting // PAGE_BYTES * PAGE_BYTES}


class _Day:
    """One day of a flow: pages changed, written and bytes logged per second; ``capacity`` is pages a minute.

    What is left of a minute is carried on (D. V. Lindley's recursion); ``come`` is all pages ever, at the edges of
    the minutes, ``left`` what of them is not yet done.
    """

    def __init__(
        self, pages: Array, written: Array, logged: Array, apply_s: Array, processor_s: Array, read_share: Array,
        capacity: Array, before: _Day | None,
    ) -> None:  # fmt: skip
        self.pages_per_s, self.written_per_s, self.bytes_per_s = pages, written, logged
        self.apply_s, self.read_share, self.before = apply_s, read_share, before
        self.come: Array
        self.left: Array
        self.logged: Array
        start, left = (float(before.come[-1]), float(before.left[-1])) if before else (0.0, 0.0)
        self.logged = (float(before.logged[-1]) if before else 0.0) + np.concatenate([[0.0], np.cumsum(logged * 60)])
        self.come = start + np.concatenate([[0.0], np.cumsum(pages * 60)])
        walk = left + np.concatenate([[0.0], np.cumsum(pages * 60 - capacity)])
        self.left = walk - np.minimum(np.minimum.accumulate(walk), 0.0)
        done = pages * 60 - np.diff(self.left)
        self.busy_s, self.working_s = done * apply_s, done * processor_s

    def lag(self, minutes: Array) -> tuple[Array, Array]:
        """Seconds and bytes behind at moments of the day, given in minutes."""
        edges = np.arange(len(self.come))
        come, left = np.interp(minutes, edges, self.come), np.interp(minutes, edges, self.left)
        here = np.minimum(minutes.astype(int), len(self.apply_s) - 1)
        busy = np.minimum(self.pages_per_s[here] * self.apply_s[here], MOST_BUSY)
        lag = self.apply_s[here] * (1 + busy / (2 * (1 - busy)))
        size = np.zeros_like(lag)
        for number in np.nonzero(left > 0)[0]:
            came, logged = self._came(float(come[number] - left[number]))
            lag[number] += (minutes[number] - came) * 60
            size[number] = np.interp(minutes[number], edges, self.logged) - logged
        return lag, size

    def _came(self, done: float) -> tuple[float, float]:
        """When the page came up to which everything is done, in minutes of this day, below 0 on days before; and the
        log bytes up to it."""
        day, midnight = self, 0.0
        while day.come[0] > done and day.before is not None:
            day, midnight = day.before, midnight - DAY_MINUTES
        rising = day.come + np.arange(len(day.come)) * 1e-6
        minute = float(np.interp(done, rising, np.arange(len(day.come))))
        return midnight + minute, float(np.interp(minute, np.arange(len(day.logged)), day.logged))


def _changed_and_logged(state: State) -> Array:
    """Pages changed, pages written for it sooner or later, and log bytes of one call of each statement."""
    visits, situation = list(state.visits.values()), state.situation
    done = situation.checkpoints
    share = (done.checkpoint_pages_per_s + done.evicted_pages_per_s) / max(situation.changes_per_s, 1e-9)
    changed = np.array([v.dirty for v in visits])
    return np.array([changed, changed * min(share, 1.0), [v.log_bytes for v in visits]])


def _read_share(primary: State, replica: State) -> float:
    """Share of the pages to be changed that the replica has in neither cache."""
    changed: dict[str, float] = {}
    for key, visit in primary.visits.items():
        for name, pages in visit.changed.items():
            changed[name] = changed.get(name, 0.0) + pages * primary.rates.get(key, 0.0)
    total = sum(changed.values())
    hits = replica.situation.caches.hits
    return sum(pages * hits[n].read for n, pages in changed.items() if n in hits) / total if total else 0.0
