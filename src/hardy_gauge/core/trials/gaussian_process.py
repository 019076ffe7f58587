"""A Gaussian process through what was measured: Matérn 5/2 kernel with a length for each dimension, its parameters by the largest marginal
likelihood (C. E. Rasmussen and C. K. I. Williams, *Gaussian Processes for Machine Learning*, 2006, ch. 2, 4 and 5).
"""

from __future__ import annotations

import math

import numpy as np
from scipy.linalg import cho_factor, cho_solve
from scipy.optimize import minimize

LENGTHS, NOISES = (math.log(0.05), math.log(3.0)), (math.log(1e-4), math.log(0.5))


class GaussianProcess:
    """A Gaussian process through noisy figures at points of the unit cube."""

    def __init__(self, points: np.ndarray, figures: np.ndarray, noise: float) -> None:
        self._points, self._mean = points, figures.mean()
        self._scale = figures.std() or 1.0
        self._y = (figures - self._mean) / self._scale
        self._least = (noise / self._scale) ** 2 + 1e-9
        dims = points.shape[1]
        starts = [
            np.r_[np.full(dims, math.log(length)), math.log(noise)] for length in (0.3, 1.0) for noise in (1e-3, 0.1)
        ]
        bounds = [LENGTHS] * dims + [NOISES]
        fits = [minimize(self._unlikely, start, bounds=bounds, method="L-BFGS-B") for start in starts]
        found = min(fits, key=lambda fit: float(fit.fun)).x
        self._lengths, self._noise = np.exp(found[:-1]), math.exp(found[-1])
        self._factor = cho_factor(
            self._kernel(points, points, self._lengths) + (self._noise + self._least) * np.eye(len(points)), lower=True
        )
        self._weights = cho_solve(self._factor, self._y)

    def _unlikely(self, parameters: np.ndarray) -> float:
        """Minus the logarithm of the marginal likelihood, with a weak preference for smooth curves and little noise."""
        lengths, noise = np.exp(parameters[:-1]), math.exp(parameters[-1])
        matrix = self._kernel(self._points, self._points, lengths) + (noise + self._least) * np.eye(len(self._points))
        factor = cho_factor(matrix, lower=True)
        prior = (
            0.5 * float(((parameters[:-1] - math.log(0.5)) ** 2).sum()) + 0.05 * (parameters[-1] - math.log(0.01)) ** 2
        )
        return float(0.5 * self._y @ cho_solve(factor, self._y) + np.log(np.diag(factor[0])).sum() + prior)

    @staticmethod
    def _kernel(a: np.ndarray, b: np.ndarray, lengths: np.ndarray) -> np.ndarray:
        apart = np.sqrt(5.0 * (((a[:, None, :] - b[None, :, :]) / lengths) ** 2).sum(axis=2))
        return np.asarray((1 + apart + apart**2 / 3) * np.exp(-apart))

    def at(self, points: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
        """Expected figure and its standard deviation, without the noise of a run."""
        across = self._kernel(points, self._points, self._lengths)
        mean = across @ self._weights
        variance = 1.0 - np.einsum("ij,ji->i", across, cho_solve(self._factor, across.T))
        return mean * self._scale + self._mean, np.sqrt(np.maximum(variance, 1e-12)) * self._scale
