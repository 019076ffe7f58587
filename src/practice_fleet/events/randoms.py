"""Random draws of a run, taken from the generator in blocks."""

from __future__ import annotations

from collections.abc import Iterator, Sequence

import numpy as np

BLOCK = 8192


class Randoms:
    """Exponential and uniform draws of one seed; a run uses one for what arrives and one for what is served.

    Arms of a trial that share a seed so share their arrivals, whatever their service does.
    """

    def __init__(self, seed: int | Sequence[int], block: int = BLOCK) -> None:
        self.generator = np.random.default_rng(seed)
        self.block = block
        self._exponential: Iterator[float] = iter(())
        self._uniform: Iterator[float] = iter(())

    def exponential(self, mean: float) -> float:
        for value in self._exponential:
            return value * mean
        self._exponential = iter(self.generator.standard_exponential(self.block).tolist())
        return self.exponential(mean)

    def uniform(self) -> float:
        for value in self._uniform:
            return value
        self._uniform = iter(self.generator.random(self.block).tolist())
        return self.uniform()

    def whole(self, mean: float) -> int:
        """A whole number of visits with this mean: the floor, or one more."""
        return int(mean + self.uniform()) if mean else 0
