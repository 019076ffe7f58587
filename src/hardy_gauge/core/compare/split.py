"""Why one side took more time than the other: more calls, longer calls, or another mix of statements, in parts that add up exactly.

The time of a statement is all calls × its share of them × its time per call. A difference of products is split by the mean over all orders
in which the factors could be changed one after the other (Shapley 1953; for products of three, Ang, Huang and Mu, "Properties and
linkages of some index decomposition analysis methods", Energy Policy 37, 2009). Nothing is left over, whatever the figures.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from itertools import permutations

Factors = tuple[float, float, float]
ORDERS = tuple(permutations(range(3)))


@dataclass(frozen=True)
class StatementPart:
    """What one statement adds to the difference of time a second (active sessions), in its three parts."""

    key: str
    calls: float
    mix: float
    per_call: float

    @property
    def whole(self) -> float:
        return self.calls + self.mix + self.per_call


@dataclass(frozen=True)
class Split:
    """The difference of two times a second and its parts; ``calls`` + ``mix`` + ``per_call`` = ``whole``. Statements by how much they
    add, either way.
    """

    before: float
    after: float
    calls: float
    mix: float
    per_call: float
    statements: Sequence[StatementPart]

    @property
    def whole(self) -> float:
        return self.calls + self.mix + self.per_call


def split(before: Mapping[str, tuple[float, float]], after: Mapping[str, tuple[float, float]]) -> Split:
    """From calls a second and seconds a second of each statement on both sides. A statement that one side does not have has no share
    there, and takes as long as on the other.
    """
    sides = [{key: one for key, one in side.items() if one[0] > 0} for side in (before, after)]
    all_calls = [sum(calls for calls, _ in side.values()) for side in sides]
    parts = []
    for key in {**sides[0], **sides[1]}:
        factors = [
            _factors(side, key, other, whole)
            for side, other, whole in zip(sides, reversed(sides), all_calls, strict=True)
        ]
        parts.append(StatementPart(key, *_shared(factors[0], factors[1])))
    parts.sort(key=lambda part: (-abs(part.whole), part.key))
    times = [sum(seconds for _, seconds in side.values()) for side in sides]
    return Split(
        times[0], times[1], sum(p.calls for p in parts), sum(p.mix for p in parts), sum(p.per_call for p in parts), parts
    )  # fmt: skip


def _factors(
    side: Mapping[str, tuple[float, float]], key: str, other: Mapping[str, tuple[float, float]], whole: float
) -> Factors:
    calls, seconds = side.get(key, (0.0, 0.0))
    known = (calls, seconds) if calls else other[key]
    return whole, calls / whole if whole else 0.0, known[1] / known[0]


def _shared(before: Factors, after: Factors) -> Factors:
    """The mean change of the product over the orders in which its factors change."""
    given = [0.0, 0.0, 0.0]
    for order in ORDERS:
        now = list(before)
        for place in order:
            was = now[0] * now[1] * now[2]
            now[place] = after[place]
            given[place] += (now[0] * now[1] * now[2] - was) / len(ORDERS)
    return given[0], given[1], given[2]
