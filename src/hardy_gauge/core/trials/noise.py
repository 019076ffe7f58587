"""What a bench shows where there is no difference, and the smallest difference that this design could show."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from scipy.special import stdtrit

from hardy_gauge.core.trials.compare import LEVEL, Ratio, paired_ratio

POWER = 0.8  # of a difference of that size, how many trials of this design would show it (common practice)


@dataclass(frozen=True)
class Noise:
    """``smallest`` is the ratio above 1 that would be shown four times out of five; None with fewer than two blocks."""

    ratio: Ratio
    smallest: float | None

    @property
    def shown(self) -> bool:
        """Whether a difference is shown where there is none."""
        return self.ratio.low > 1 or self.ratio.high < 1


def noise_of(control: Sequence[float], again: Sequence[float]) -> Noise:
    """From the same thing run twice in each block. The sum of the two quantiles of Student's t is the usual approximation of what a paired
    comparison can show (Jain 1991, ch. 13.9; common practice for the power).
    """
    ratio = paired_ratio(control, again)
    if ratio.blocks < 2:
        return Noise(ratio, None)
    spread = float(np.std(np.log(again) - np.log(control), ddof=1))
    freedom = ratio.blocks - 1
    half = (stdtrit(freedom, 0.5 + LEVEL / 2) + stdtrit(freedom, POWER)) * spread / np.sqrt(ratio.blocks)
    return Noise(ratio, float(np.exp(half)))
