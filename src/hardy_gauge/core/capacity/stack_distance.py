"""Stack distances of a trace of pages: how large a cache that drops the least recently used page must be for each request to find its
page (Mattson, Gecsei, Slutz, Traiger, "Evaluation techniques for storage hierarchies", IBM Systems Journal 9(2), 1970).
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

Ints = NDArray[np.int64]
NEVER = np.iinfo(np.int64).max


def stack_distances(pages: Ints) -> Ints:
    """Of each request (n,) the number of different pages asked for since its page was asked for last, with itself: the least size of a
    cache, in pages, that still holds it; NEVER for a page that was not asked for before. O(n log² n).
    """
    count = len(pages)
    places = np.arange(count, dtype=np.int64)
    order = np.lexsort((places, pages))
    before = np.full(count, -1, dtype=np.int64)
    same = pages[order][1:] == pages[order][:-1]
    before[order[1:][same]] = order[:-1][same]
    # what was asked for again in between is counted once: requests between the two whose page was asked for last between them too
    again = _greater_before(before)
    return np.where(before < 0, NEVER, places - before - again)


def _greater_before(values: Ints) -> Ints:
    """Of each place how many of the places before it hold a greater value: merged from blocks of one, two, four and so on."""
    count = len(values)
    size = 1 << max(count - 1, 0).bit_length()
    ranks = np.full(size, size, dtype=np.int64)  # places that are added stand at the end: nobody looks back at them
    ranks[:count] = np.unique(values, return_inverse=True)[1].reshape(-1)
    found, order, width = np.zeros(size, dtype=np.int64), np.arange(size, dtype=np.int64), 1
    while width < size:
        blocks = order.reshape(-1, 2, width)  # places in pairs of blocks, by value in each
        number = np.arange(len(blocks), dtype=np.int64)[:, None]
        own = ranks[blocks] + (number * (size + 1))[:, None]  # so that one search does for all blocks
        until = np.searchsorted(own[:, 0].reshape(-1), own[:, 1].reshape(-1), side="right")
        found[blocks[:, 1]] += width - (until.reshape(len(blocks), width) - number * width)
        pairs = blocks.reshape(len(blocks), 2 * width)
        by_value = np.argsort(ranks[pairs], axis=1, kind="stable")
        order = np.take_along_axis(pairs, by_value, axis=1).reshape(-1)
        width *= 2
    return found[:count]
