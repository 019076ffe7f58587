"""Two ordered trees matched with the least changes: the edit distance of Zhang and Shasha ("Simple fast algorithms for the editing
distance between trees and related problems", SIAM Journal on Computing 18, 1989), with the pairs that it keeps.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import Generic, TypeVar

import numpy as np
from numpy.typing import NDArray

N = TypeVar("N")
Distances = NDArray[np.float64]
Pair = tuple[int | None, int | None]


@dataclass(frozen=True)
class Ordered(Generic[N]):
    """Nodes in post-order; ``leftmost`` is the place of each one's leftmost leaf, ``keyroots`` those with a left sibling, and the root."""

    nodes: list[N]
    leftmost: list[int]
    keyroots: list[int]


def ordered(root: N, below: Callable[[N], Sequence[N]]) -> Ordered[N]:
    """A tree as the algorithm takes it."""
    nodes: list[N] = []
    leftmost: list[int] = []

    def visit(node: N) -> int:
        first = [visit(child) for child in below(node)]
        nodes.append(node)
        leftmost.append(first[0] if first else len(nodes) - 1)
        return leftmost[-1]

    visit(root)
    last = {left: place for place, left in enumerate(leftmost)}
    return Ordered(nodes, leftmost, sorted(last.values()))


def matched(
    first: Ordered[N], second: Ordered[N], relabel: Callable[[N, N], float], change: float = 1.0
) -> tuple[float, list[Pair]]:
    """The distance, and every node of both by its place in post-order: in pairs where one became the other, with None where it came or
    went. ``relabel`` is what it costs that one becomes the other, ``change`` that one comes or goes.
    """
    costs = np.array([[relabel(a, b) for b in second.nodes] for a in first.nodes])
    trees = np.zeros((len(first.nodes), len(second.nodes)))
    for i in first.keyroots:
        for j in second.keyroots:
            _forest(first, second, i, j, costs, trees, change)
    pairs: list[Pair] = []
    todo = [(len(first.nodes) - 1, len(second.nodes) - 1)]
    while todo:
        _trace(first, second, *todo.pop(), costs, trees, change, pairs, todo)
    return float(trees[-1, -1]), sorted(pairs, key=lambda pair: (pair[0] is None, pair[0] or 0, pair[1] or 0))


def _forest(
    first: Ordered[N], second: Ordered[N], i: int, j: int, costs: Distances, trees: Distances, change: float
) -> Distances:
    """Distances of all forests that end within two subtrees; those of whole subtrees are filed in ``trees``."""
    a, b = first.leftmost[i], second.leftmost[j]
    found = np.zeros((i - a + 2, j - b + 2))
    found[:, 0], found[0, :] = np.arange(i - a + 2) * change, np.arange(j - b + 2) * change
    for x in range(a, i + 1):
        for y in range(b, j + 1):
            gone, came = found[x - a, y - b + 1] + change, found[x - a + 1, y - b] + change
            if first.leftmost[x] == a and second.leftmost[y] == b:
                found[x - a + 1, y - b + 1] = trees[x, y] = min(gone, came, found[x - a, y - b] + costs[x, y])
            else:
                kept = found[first.leftmost[x] - a, second.leftmost[y] - b] + trees[x, y]
                found[x - a + 1, y - b + 1] = min(gone, came, kept)
    return found


def _trace(
    first: Ordered[N], second: Ordered[N], i: int, j: int, costs: Distances, trees: Distances, change: float, pairs: list[Pair],
    todo: list[tuple[int, int]],
) -> None:  # fmt: skip
    """The way back through two subtrees; pairs of subtrees within them are left for later."""
    found = _forest(first, second, i, j, costs, trees, change)
    a, b = first.leftmost[i], second.leftmost[j]
    x, y = i, j
    while x >= a or y >= b:
        here = found[x - a + 1, y - b + 1]
        if x >= a and np.isclose(here, found[x - a, y - b + 1] + change):
            pairs.append((x, None))
            x -= 1
        elif y >= b and np.isclose(here, found[x - a + 1, y - b] + change):
            pairs.append((None, y))
            y -= 1
        elif first.leftmost[x] == a and second.leftmost[y] == b:
            pairs.append((x, y))
            x, y = x - 1, y - 1
        else:
            todo.append((x, y))
            x, y = first.leftmost[x] - 1, second.leftmost[y] - 1
