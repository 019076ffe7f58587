"""The squares of the times of a statement's calls, from which their spread follows: by the distributions that executions are drawn from."""

from __future__ import annotations

import numpy as np

from practice_fleet.history import Block
from practice_fleet.physics.queueing import Array


def squares_s2(block: Block) -> Array:
    """Σt² of the calls of each statement in each minute, shape (statements, minutes), in s².

    E t² is variance + mean²; where calls are of two kinds, both are scaled by each kind's factor, squared; who meets an idle session
    waits besides for the rest of its hold, which is even from nothing to the whole.
    """
    seen = block.seconds.sum(axis=0) / np.maximum(block.calls, 1)
    mean = np.where(block.model.held > 0, block.model.response - block.model.held, seen)
    each = block.model.variance + mean**2
    for number, key in enumerate(block.keys):
        kinds = block.state.now.kinds.get(key)
        if kinds is not None:
            each[number] *= (1 - kinds.share + kinds.share * kinds.ratio**2) / kinds.mean**2
        hold = block.state.holds.get(key)
        if hold is not None:
            meets = np.minimum(1.0, hold.share(block.at_us / 1e6) * hold.of_calls)
            longest = min(hold.lasts_s, hold.patience_s)
            each[number] += meets * (mean[number] * longest + longest**2 / 3)
    return np.asarray(block.calls * each)
