"""Choosing a set of indexes for a workload under a budget.

What a set brings is asked of a planner for the set as a whole: benefits of single indexes do not add up. Greedy by time won for each
byte and by time won, whichever ends better, then exchanged one by one while that helps; where there are few candidates, every set.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from itertools import combinations

# what the planner does not see: an index that wins less of a statement's cost is not taken for its sake
LEAST_WON = 0.02
# of the workload's time: an index that adds less is not proposed
LEAST_ADDED = 0.001
EVERY_SET_UP_TO = 8
# one more entry of a B-tree, in seconds: four times what was measured on PostgreSQL 15 with all of it in memory and no log flushed
# (2.1 µs, benchmarks/twin.py), since pages have to be fetched and the log be written
ENTRY_WRITE_S = 8e-6

Set = frozenset[int]
Cost = Callable[[int, Set], float]


@dataclass(frozen=True)
class Work:
    """A statement of the workload: how often it was called and the time it took in all, over the same span."""

    calls: float
    time_s: float


@dataclass(frozen=True)
class Offer:
    """A candidate by its number: the bytes it takes, the entries to write over the span, and the statements it could serve."""

    bytes: float
    entries: float
    serves: Sequence[int]


@dataclass(frozen=True)
class Budget:
    """``bytes`` in all; ``entries`` to write over the span, None for as many as pay."""

    bytes: float
    entries: float | None = None


@dataclass(frozen=True)
class Step:
    """An index as it was chosen: what it added, in seconds of the span, and what the set then takes and wins in all."""

    candidate: int
    adds_s: float
    bytes: float
    wins_s: float


@dataclass(frozen=True)
class Chosen:
    """``steps`` in the order in which each adds most to those before; times in seconds over the span."""

    steps: Sequence[Step]
    before_s: float
    after_s: float
    writes_s: float


class Chooser:
    """``cost(statement, set)`` is the planner's cost of one call; it is asked only for what the set could change."""

    def __init__(self, work: Sequence[Work], offers: Sequence[Offer], cost: Cost, budget: Budget) -> None:
        self.work, self.offers, self.budget = work, offers, budget
        self._ask = cost
        self._known: dict[tuple[int, Set], float] = {}
        self._of: dict[int, list[int]] = {}
        self._pairs: set[Set] = set()
        for number, offer in enumerate(offers):
            for statement in offer.serves:
                self._of.setdefault(statement, []).append(number)
        self.base = [self.cost(number, frozenset()) for number in range(len(work))]

    def cost(self, statement: int, chosen: Set) -> float:
        key = statement, chosen & frozenset(self._of.get(statement, ()))
        if key not in self._known:
            self._known[key] = self._ask(*key)
        return self._known[key]

    def time_s(self, statement: int, chosen: Set) -> float:
        """Of all its calls: the time that was measured, as much less as its cost is."""
        base = self.base[statement]
        return self.work[statement].time_s * (self.cost(statement, chosen) / base if base > 0 else 1.0)

    def writes_s(self, chosen: Set) -> float:
        return sum(self.offers[one].entries for one in chosen) * ENTRY_WRITE_S

    def wins_s(self, chosen: Set) -> float:
        """Time won over the span, less what keeping the indexes up takes."""
        touched = {statement for one in chosen for statement in self.offers[one].serves}
        return sum(self.work[s].time_s - self.time_s(s, chosen) for s in touched) - self.writes_s(chosen)

    def _fits(self, chosen: Set) -> bool:
        entries = sum(self.offers[one].entries for one in chosen)
        within = self.budget.entries is None or entries <= self.budget.entries
        return within and self._bytes(chosen) <= self.budget.bytes

    def _bytes(self, chosen: Set) -> float:
        return sum(self.offers[one].bytes for one in chosen)

    def useful(self) -> list[int]:
        """Candidates that win something worth it for a statement, alone, or together with another that could serve it."""
        alone = {
            number
            for number, offer in enumerate(self.offers)
            if self._fits(frozenset([number]))
            and any(self.cost(s, frozenset([number])) <= (1 - LEAST_WON) * self.base[s] for s in offer.serves)
        }
        together = set[int]()
        for statement, numbers in self._of.items():
            fit = frozenset(n for n in numbers if self._fits(frozenset([n])))
            if len(fit) < 2:
                continue
            best = min([self.base[statement], *(self.cost(statement, frozenset([n])) for n in fit)])
            whole = self.cost(statement, fit)
            if whole < best - LEAST_WON * self.base[statement]:
                needed = {n for n in fit if self.cost(statement, fit - {n}) > whole * (1 + 1e-9)}
                together |= needed
                self._pairs |= {frozenset(pair) for pair in combinations(sorted(needed or fit), 2)}
        return sorted(alone | together)

    def choose(self) -> Chosen:
        """The best set that was found, with the order in which each adds most."""
        useful, before = self.useful(), sum(one.time_s for one in self.work)
        if len(useful) <= EVERY_SET_UP_TO:
            sets = [frozenset(one) for size in range(len(useful) + 1) for one in combinations(useful, size)]
            best = max((one for one in sets if self._fits(one)), key=lambda one: (self.wins_s(one), -self._bytes(one)))
        else:
            starts = [self._greedy(useful, by_byte) for by_byte in (True, False)]
            best = max((self._exchanged(one, useful) for one in starts), key=self.wins_s)
        best = self._without_idle(best, before)
        steps, taken = [], frozenset[int]()
        while taken != best:
            one = max(best - taken, key=lambda n: (self.wins_s(taken | {n}), -n))
            adds, taken = self.wins_s(taken | {one}) - self.wins_s(taken), taken | {one}
            steps.append(Step(one, adds, self._bytes(taken), self.wins_s(taken)))
        after = before - self.wins_s(best)
        return Chosen(steps, before, after, self.writes_s(best))

    def _greedy(self, useful: Sequence[int], by_byte: bool) -> Set:
        chosen, wins = frozenset[int](), 0.0
        left = list(useful)
        while left:
            scored = [(self.wins_s(chosen | {n}) - wins, n) for n in left if self._fits(chosen | {n})]
            scored = [(adds, n) for adds, n in scored if adds > 0]
            if not scored:
                break
            _, best = max((adds / max(self.offers[n].bytes, 1.0) if by_byte else adds, -n) for adds, n in scored)
            chosen |= {-best}
            wins = self.wins_s(chosen)
            # what adds nothing now adds nothing to a larger set either, but for pairs, which exchanging tries
            left = [n for _, n in scored if n != -best]
        return chosen

    def _exchanged(self, chosen: Set, useful: Sequence[int]) -> Set:
        """One index for another, one added, one left out, while the set gets better."""
        wins = self.wins_s(chosen)
        for _ in range(len(useful)):
            near = [chosen | {n} for n in useful if n not in chosen]
            near += [chosen - {n} for n in chosen]
            near += [chosen | pair for pair in self._pairs if not pair <= chosen]
            near += [chosen - {n} | {m} for n in chosen for m in useful if m not in chosen and self._alike(n, m)]
            better = max((one for one in near if self._fits(one)), key=self.wins_s, default=chosen)
            if self.wins_s(better) <= wins * (1 + 1e-9) + 1e-12:
                break
            chosen, wins = better, self.wins_s(better)
        return chosen

    def _alike(self, one: int, other: int) -> bool:
        return bool(set(self.offers[one].serves) & set(self.offers[other].serves))

    def _without_idle(self, chosen: Set, before: float) -> Set:
        """Without those that the others make needless."""
        for one in sorted(chosen, key=lambda n: -self.offers[n].bytes):
            if self.wins_s(chosen) - self.wins_s(chosen - {one}) < LEAST_ADDED * before:
                chosen -= {one}
        return chosen
