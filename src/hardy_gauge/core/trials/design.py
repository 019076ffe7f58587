"""The order of runs: every block has each arm once, in an order drawn anew for each block.

Interleaving spreads whatever drifts over all arms alike, and pairs each candidate run with a control
run made at nearly the same time (randomised complete blocks; Jain 1991, ch. 22).
"""

from __future__ import annotations

import random
from dataclasses import dataclass

# kinds whose arms their files state; the others are given what makes them
STATE_THEIR_ARMS = frozenset({"compare", "as-needed", "queries"})


@dataclass(frozen=True)
class PlannedRun:
    """One run of a trial: its place in the order, its block, its arm."""

    number: int
    block: int
    arm: str
    seed: int


def interleave(arms: list[str], blocks: int, seed: int) -> list[PlannedRun]:
    """``blocks`` × arms runs; the runs of one block share their seed, so that they see the same arrivals."""
    draw = random.Random(seed)
    runs: list[PlannedRun] = []
    for block in range(blocks):
        order = arms[:]
        draw.shuffle(order)
        block_seed = draw.randrange(2**31)
        runs += [PlannedRun(len(runs) + i, block, arm, block_seed) for i, arm in enumerate(order)]
    return runs
