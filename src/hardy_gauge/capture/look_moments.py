"""At which moment of each second sessions are looked at: one that wanders, so that no rhythm of the work hides from it.

Looks exactly a second apart see work that repeats each second always or never (aliasing). The moment is a random walk
that is turned back at the ends of its stretch; every place of the stretch is then equally frequent in the long run
(Feller, "An Introduction to Probability Theory", volume 1, chapter XV: a symmetric walk with reflecting ends has a
uniform stationary distribution), and two looks are never much less than a second apart.
"""

from __future__ import annotations

from random import Random

FIRST_S = 0.02
STRETCH_S = 0.93  # what is left of the second is for a look that begins late
STEP_S = 0.15


class LookMoments:
    """Gives how long to wait for the next look, one in each second of the clock."""

    def __init__(self, random: Random | None = None) -> None:
        self._random = random or Random()
        self._at_s = self._random.uniform(0, STRETCH_S)

    def wait_s(self, now_s: float) -> float:
        """Seconds from ``now_s``, a time in seconds, until the look within the next whole second."""
        at = abs(self._at_s + self._random.uniform(-STEP_S, STEP_S))
        self._at_s = at if at <= STRETCH_S else 2 * STRETCH_S - at
        return 1.0 - now_s % 1.0 + FIRST_S + self._at_s
