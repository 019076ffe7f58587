"""The pages of a run by events: two caches of actual pages, changed pages, and what a checkpoint must write.

Very large caches are modelled in units of several pages of neighbouring popularity, so that a run keeps at
most ``MOST_UNITS`` of them. Hit ratios depend on shares only and stay the same, but units come and go as many
times faster as they hold pages; so what leaves counts as one page, and how many of a unit's pages are changed
is drawn when it enters. Changed pages are kept one by one.
"""

from __future__ import annotations

import math
from collections.abc import Iterator
from dataclasses import dataclass, field

import numpy as np

from practice_fleet.events.lru import Lru
from practice_fleet.events.randoms import Randoms

MOST_UNITS = 60_000
WARM_ROUNDS = 2


@dataclass(frozen=True)
class StoredObject:
    """A table or an index: its pages, the Zipf exponent of their popularity, requests and changes per second.

    ``bypassed`` when scans of it go past the buffer cache.
    """

    name: str
    pages: float
    skew: float
    rate: float
    changes: float
    bypassed: bool


@dataclass
class Found:
    """Where the pages of one execution were found; ``evicted`` are changed pages that had to go."""

    read: int = 0
    system: int = 0
    evicted: int = 0


class _Sampler:
    """Draws units of one object by the popularity of their pages."""

    def __init__(self, stored: StoredObject, first: int, scale: int, stay_s: float, random: Randoms) -> None:
        self.stored, self.first, self.random = stored, first, random
        self.units = max(1, int(-(-stored.pages // scale)))
        self.end = first + self.units
        edges = np.minimum(np.arange(self.units + 1) * scale, stored.pages) + 1.0
        power = 1.0 - stored.skew
        grown = np.log(edges) if abs(power) < 1e-9 else edges**power / power
        weight = np.maximum(np.diff(grown), 1e-300)
        self.share = weight / weight.sum()
        self._sums = np.cumsum(self.share)
        self.changes = stored.changes * self.share / scale
        self.kept = -np.expm1(-stored.rate * self.share / scale * min(stay_s, 1e15))
        self._drawn: Iterator[int] = iter(())

    def draw(self) -> int:
        for unit in self._drawn:
            return unit
        uniform = self.random.generator.random(2048)
        drawn = np.minimum(np.searchsorted(self._sums, uniform), self.units - 1) + self.first
        self._drawn = iter(drawn.tolist())
        return self.draw()


@dataclass
class Pages:
    """Buffer cache above the system's cache, over all objects of one server.

    ``stay_s`` is how long a page stays in the buffer cache, and ``since_checkpoint_s`` how long ago the last
    checkpoint began, both in the time in which the objects' rates hold.
    """

    objects: list[StoredObject]
    buffer_pages: float
    system_pages: float
    random: Randoms
    stay_s: float = 0.0
    cold: bool = False
    most_units: int = MOST_UNITS
    since_checkpoint_s: float = 0.0
    changed: dict[int, set[int]] = field(default_factory=dict)
    imaged: set[int] = field(default_factory=set)
    requests: int = 0
    hits: int = 0

    def __post_init__(self) -> None:
        total = sum(o.pages for o in self.objects)
        self.scale = max(1, int(-(-total // self.most_units)))
        self.buffer = Lru(int(self.buffer_pages / self.scale))
        self.system = Lru(int(self.system_pages / self.scale))
        self.samplers: dict[str, _Sampler] = {}
        first = 0
        for stored in self.objects:
            self.samplers[stored.name] = _Sampler(stored, first, self.scale, self.stay_s, self.random)
            first = self.samplers[stored.name].end
        self.units = first
        self.bypassed = {o.name for o in self.objects if o.bypassed}
        self.partial: dict[int, int] = {}
        if self.cold:
            self.partial = dict.fromkeys(range(self.units), 0) if self.scale > 1 else {}
        else:
            self._warm()
        self.requests = self.hits = 0

    def _warm(self) -> None:
        """Fill both caches at random, then ask for pages until the most recently used are in them."""
        asked_for = {o.name for o in self.objects if o.rate > 0}
        for cache, names in ((self.system, self.samplers), (self.buffer, asked_for)):
            units = [u for n in names for u in range(self.samplers[n].first, self.samplers[n].end)]
            order = np.array(units, dtype=np.int64)
            self.random.generator.shuffle(order)
            for unit in order[: cache.capacity].tolist():
                cache.put(unit)
        rates = np.array([o.rate for o in self.objects])
        if not rates.sum():
            return
        asked = WARM_ROUNDS * min(self.buffer.capacity + self.system.capacity, self.units) + 2000
        which = self.random.generator.choice(len(rates), asked, p=rates / rates.sum())
        found = Found()
        for number in which.tolist():
            self.ask(self.objects[number].name, 1, found)

    def _mark_changed(self, sampler: _Sampler, unit: int) -> None:
        """Draw which pages of a unit that enters have been changed: those in the cache that were changed lately."""
        at = unit - sampler.first
        lately = min(self.stay_s, self.since_checkpoint_s)
        share = -math.expm1(-float(sampler.changes[at]) * lately) / max(float(sampler.kept[at]), 1e-12)
        if share > 0 and (count := int(self.random.generator.binomial(self.scale, min(1.0, share)))):
            self.changed[unit] = set(range(unit * self.scale, unit * self.scale + count))

    def ask(self, name: str, count: int, found: Found) -> None:
        """Ask for ``count`` pages by popularity."""
        sampler, buffer = self.samplers[name], self.buffer
        self.requests += count
        for _ in range(count):
            unit = sampler.draw()
            if unit in self.partial and self.random.uniform() * self.scale >= self.partial[unit]:
                found.read += 1
                self._came_in(unit, 1)
                self.system.hold(unit)
                if not buffer.ask(unit):
                    self._into_buffer(sampler, unit, found)
                continue
            if buffer.ask(unit):
                self.hits += 1
                continue
            self._from_below(unit, found)
            self._into_buffer(sampler, unit, found)

    def _came_in(self, unit: int, pages: int) -> None:
        """Count pages of a unit that were read for the first time since a cold start."""
        self.partial[unit] += pages
        if self.partial[unit] >= self.scale:
            del self.partial[unit]

    def scan(self, name: str, pages: float, found: Found) -> int:
        """Read so many pages in order; how many came from the volume."""
        sampler = self.samplers[name]
        units = min(sampler.units, int(-(-pages // self.scale)))
        past = name in self.bypassed
        read = 0.0
        for unit in range(sampler.first, sampler.first + units):
            if unit in self.partial:
                missing = self.scale - self.partial[unit]
                self._came_in(unit, missing)
                read += missing / self.scale
                self.system.hold(unit)
                if not past and unit not in self.buffer:
                    self._into_buffer(sampler, unit, found)
                continue
            if unit in self.buffer:
                continue
            if not self.system.ask(unit):
                read += 1
                self.system.put(unit)
            else:
                found.system += 1
            if not past:
                self._into_buffer(sampler, unit, found)
        self.requests += int(pages)
        self.hits += int(pages) if read == 0 else 0
        return int(min(pages, read * self.scale))

    def _from_below(self, unit: int, found: Found) -> None:
        if self.system.ask(unit):
            found.system += 1
        else:
            found.read += 1
            self.system.put(unit)

    def _into_buffer(self, sampler: _Sampler, unit: int, found: Found) -> None:
        gone = self.buffer.put(unit)
        if gone is not None and (pages := self.changed.pop(gone, None)):
            found.evicted += self.random.whole(len(pages) / self.scale)
        if self.scale > 1:  # a unit stays for a shorter time than its pages would, too short to be changed in
            self._mark_changed(sampler, unit)

    def change(self, name: str, count: int) -> int:
        """Change ``count`` pages; how many of them had not been changed since the last checkpoint."""
        first_time = 0
        for _ in range(count):
            unit = self.samplers[name].draw()
            page = unit * self.scale + int(self.random.uniform() * self.scale)
            self.changed.setdefault(unit, set()).add(page)
            if page not in self.imaged:
                self.imaged.add(page)
                first_time += 1
        return first_time

    def checkpoint(self) -> int:
        """Begin a checkpoint: how many pages it has to write. Pages changed from now on are the next one's."""
        count = sum(len(pages) for pages in self.changed.values())
        self.changed.clear()
        self.imaged.clear()
        self.since_checkpoint_s = 0.0
        return count


@dataclass(frozen=True)
class Store:
    """What a run keeps pages in, when it follows them one by one; without it reads are drawn from the averages.

    ``pace`` is a first guess of calls per second ÷ the sum of the weights; ``age_s`` how long ago the last
    checkpoint began when the run starts, and ``log_used`` the bytes of log since then.
    """

    pages: Pages
    log_capacity: float
    checkpoint_interval_s: float
    checkpoint_spread: float
    background_write_rate: float
    read_ahead_pages: float
    pace: float
    age_s: float
    log_used: float
