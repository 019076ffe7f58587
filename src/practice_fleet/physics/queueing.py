"""Queueing formulas, vectorised over NumPy arrays. Rates per second, times in seconds."""

from __future__ import annotations

import numpy as np
from numpy.typing import ArrayLike, NDArray

Array = NDArray[np.float64]


def erlang_b(servers: int, offered: ArrayLike) -> Array:
    """Blocking probability of M/M/c/c by the stable recursion B(k) = aB(k−1) / (k + aB(k−1))."""
    a = np.asarray(offered, dtype=float)
    blocked = np.ones_like(a)
    for k in range(1, servers + 1):
        blocked = a * blocked / (k + a * blocked)
    return blocked


def erlang_c(servers: int, offered: ArrayLike) -> Array:
    """Probability that an arrival waits in M/M/c (Erlang 1917); offered load in erlang, below ``servers``."""
    a = np.asarray(offered, dtype=float)
    blocked = erlang_b(servers, a)
    return servers * blocked / (servers - a * (1 - blocked))


def wait_mgc(servers: int, rate: ArrayLike, service: ArrayLike, variation: ArrayLike = 1.0) -> Array:
    """Mean wait before service in M/G/c; exact for M/M/c, else the Allen–Cunneen approximation.

    ``variation`` is the squared coefficient of variation of the service time (1 for exponential).
    """
    rate, service = np.asarray(rate, dtype=float), np.asarray(service, dtype=float)
    offered = rate * service
    base = erlang_c(servers, offered) * service / np.maximum(servers - offered, 1e-9)
    return np.asarray(base * (1 + np.asarray(variation)) / 2)


def shared_wait(servers: int, offered: ArrayLike) -> Array:
    """Waiting ÷ service of work on ``servers`` that all share in time slices, at an offered load below ``servers``: C ÷ (c − a).

    Processor sharing is insensitive to how service times are spread (Kleinrock, "Queueing Systems" 2, 4.4, for one server; for
    several the number at work has the distribution of M/M/c): every kind of work is stretched alike, short and long.
    """
    a = np.asarray(offered, dtype=float)
    return np.asarray(erlang_c(servers, a) / np.maximum(servers - a, 1e-9))


def group_commit(rate: ArrayLike, write: ArrayLike) -> Array:
    """Mean time of a commit when one write of fixed length serves all that wait for it.

    A write that leaves nobody waiting (probability e^−λL) is followed by an idle time of 1/λ, so the
    writer is busy L / (L + e^−λL/λ) of the time; who finds it busy waits L/2 more on average.
    """
    often, lasts = np.maximum(np.asarray(rate, dtype=float), 1e-12), np.asarray(write, dtype=float)
    busy = lasts / (lasts + np.exp(-often * lasts) / often)
    return np.asarray(lasts + busy * lasts / 2)


def closed_network(demands: list[float], think: float, customers: int) -> list[tuple[float, float, list[float]]]:
    """Exact mean value analysis of one class over queueing stations (Reiser and Lavenberg 1980).

    Returns for 1 … ``customers``: response (s), throughput (1/s), mean queue at each station.
    """
    queues = [0.0] * len(demands)
    results = []
    for n in range(1, customers + 1):
        residence = [d * (1 + q) for d, q in zip(demands, queues, strict=True)]
        response = sum(residence)
        throughput = n / (think + response)
        queues = [throughput * r for r in residence]
        results.append((response, throughput, queues))
    return results
