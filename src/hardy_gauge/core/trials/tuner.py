"""Finding good settings with few runs: a Gaussian process over what was tried, and next whatever promises most improvement.

The process is ``gaussian_process``; what comes next has the greatest expected improvement (D. R. Jones and others, 1998). Figures are logarithms
of a ratio to the control, so that halves and doubles weigh alike.
"""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import TYPE_CHECKING, Any

import numpy as np
from scipy.special import ndtr

if TYPE_CHECKING:
    from hardy_gauge.core.trials.gaussian_process import GaussianProcess

Settings = Mapping[str, Any]
CANDIDATES, NEAR = 1024, 256
LEAST_FIRST = 3
LEVEL = 1.959964


@dataclass(frozen=True)
class Range:
    """A number from ``low`` to ``high``, by its logarithm where ``log``; ``unit`` is written behind it ("64MB"), empty for a bare number."""

    setting: str
    low: float
    high: float
    log: bool = False
    whole: bool = True
    unit: str = ""

    def value(self, place: float) -> Any:
        """Of a place from 0 to 1."""
        low, high = (math.log(self.low), math.log(self.high)) if self.log else (self.low, self.high)
        found = low + min(max(place, 0.0), 1.0) * (high - low)
        number: float = math.exp(found) if self.log else found
        number = min(max(round(number) if self.whole else float(f"{number:.4g}"), self.low), self.high)
        number = int(number) if self.whole else number
        return f"{number}{self.unit}" if self.unit else number

    def places(self, value: Any) -> list[float]:
        """The place of a value."""
        number = float(str(value).removesuffix(self.unit)) if self.unit else float(value)
        low, high = (math.log(self.low), math.log(self.high)) if self.log else (self.low, self.high)
        return [((math.log(number) if self.log else number) - low) / ((high - low) or 1.0)]


@dataclass(frozen=True)
class Choice:
    """One of some values that have no order."""

    setting: str
    values: tuple[Any, ...]

    def value(self, place: float) -> Any:
        """Of a place from 0 to 1."""
        return self.values[min(int(min(max(place, 0.0), 1.0) * len(self.values)), len(self.values) - 1)]

    def places(self, value: Any) -> list[float]:
        """As far from each other as half a range."""
        return [0.5 * (value == one) for one in self.values]


Space = Sequence[Range | Choice]


@dataclass(frozen=True)
class Tried:
    """Settings with what came out: the figure's ratio to the control, higher is better; ``kept`` tells whether it kept the guardrails."""

    settings: Settings
    ratio: float
    kept: bool = True


@dataclass(frozen=True)
class Measured:
    """A figure of an attempt beside that of the control; None or 0 where it has none."""

    mine: float | None
    control: float | None
    higher_is_better: bool

    def gain(self) -> float | None:
        """How many times as good as the control; None where either is not known."""
        if not self.mine or not self.control:
            return None
        return self.mine / self.control if self.higher_is_better else self.control / self.mine


def judged(settings: Settings, goal: Measured, rails: Sequence[tuple[Measured, float]], ran: bool) -> Tried:
    """An attempt by its goal and its guardrails, each with the share by which it may worsen; what did not run, or has no figure, is not
    kept.
    """
    gain = goal.gain() if ran else None
    if gain is None:
        return Tried(settings, 0.0, False)
    gains = [(rail.gain(), most) for rail, most in rails]
    return Tried(settings, gain, all(one is not None and one * (1 + most) >= 1 for one, most in gains))


@dataclass(frozen=True)
class Suggestion:
    """What to try next, and the ratio that is expected of it with its 95% interval; None before anything is known."""

    settings: dict[str, Any]
    expected: float | None = None
    low: float | None = None
    high: float | None = None


def first_points(space: Space, count: int, seed: int) -> list[dict[str, Any]]:
    """Points spread over the whole space (Sobol' sequence, scrambled)."""
    from scipy.stats import qmc  # takes half a second and 40 MB, which only a search has to spend

    drawn = qmc.Sobol(len(space), seed=seed).random(2 ** math.ceil(math.log2(max(count, 2))))
    return [_settings(space, one) for one in drawn[:count]]


def suggest(space: Space, tried: Sequence[Tried], seed: int, noise: float = 0.0) -> Suggestion:
    """The next settings. The first ones are spread; what broke a guardrail counts as the worst that was seen. ``noise`` is the standard
    deviation of the logarithm of a ratio from run to run, as far as it is known.
    """
    first = max(LEAST_FIRST, len(space) + 1)
    if len(tried) < first:
        return Suggestion(first_points(space, first, seed)[len(tried)])
    draw = np.random.default_rng([seed, len(tried)])
    known, figures = _known(space, tried)
    model = _process(known, figures, noise)
    places = np.vstack([draw.random((CANDIDATES, len(space))), _near(space, tried, draw)])
    options = {tuple(sorted(one.items())): one for one in (_settings(space, place) for place in places)}
    done = {tuple(sorted(one.settings.items())) for one in tried}
    left = [one for key, one in options.items() if key not in done] or list(options.values())
    mean, spread = model.at(np.asarray([_encoded(space, one) for one in left]))
    best = figures.max()
    z = (mean - best) / spread
    gain = (mean - best) * ndtr(z) + spread * np.exp(-(z**2) / 2) / math.sqrt(2 * math.pi)
    at = int(gain.argmax())
    bounds = [float(np.exp(mean[at] + side * LEVEL * spread[at])) for side in (-1, 1)]
    return Suggestion(left[at], float(np.exp(mean[at])), bounds[0], bounds[1])


def ratio_noise(figures: Sequence[float]) -> float:
    """Of a ratio of two runs, from figures of the same thing run again and again: √2 × the standard deviation of their logarithms; 0 where
    there are fewer than three.
    """
    known = np.log([one for one in figures if one > 0])
    return float(np.sqrt(2) * known.std(ddof=1)) if len(known) > 2 else 0.0


def best_of(space: Space, tried: Sequence[Tried], noise: float = 0.0) -> tuple[Tried, float] | None:
    """Of those that kept the guardrails, the one with the best expected ratio once noise is smoothed out, and that ratio; None where none
    did.
    """
    kept = [one for one in tried if one.kept]
    if not kept:
        return None
    known, figures = _known(space, tried)
    mean, _ = _process(known, figures, noise).at(np.asarray([_encoded(space, one.settings) for one in kept]))
    at = int(mean.argmax())
    return kept[at], float(np.exp(mean[at]))


def _process(points: np.ndarray, figures: np.ndarray, noise: float) -> GaussianProcess:
    from hardy_gauge.core.trials import gaussian_process  # its library takes 20 MB, which only a search has to spend

    return gaussian_process.GaussianProcess(points, figures, noise)


def _known(space: Space, tried: Sequence[Tried]) -> tuple[np.ndarray, np.ndarray]:
    good = [math.log(one.ratio) for one in tried if one.kept and one.ratio > 0]
    worst = min(good, default=-1.0) - 0.1
    figures = np.asarray([math.log(one.ratio) if one.kept and one.ratio > 0 else worst for one in tried])
    return np.asarray([_encoded(space, one.settings) for one in tried]), figures


def _near(space: Space, tried: Sequence[Tried], draw: np.random.Generator) -> np.ndarray:
    """Places about the best that was tried."""
    best = max(tried, key=lambda one: one.ratio if one.kept else -1.0)
    centre = []
    for part in space:
        value = best.settings[part.setting]
        centre.append(
            part.places(value)[0] if isinstance(part, Range) else (part.values.index(value) + 0.5) / len(part.values)
        )
    return np.clip(np.asarray(centre) + draw.normal(0, 0.08, (NEAR, len(space))), 0, 1)


def _settings(space: Space, places: np.ndarray) -> dict[str, Any]:
    return {part.setting: part.value(float(place)) for part, place in zip(space, places, strict=True)}


def _encoded(space: Space, settings: Settings) -> list[float]:
    return [place for part in space for place in part.places(settings[part.setting])]
