"""A pooler in front of a server: so many sessions at a time, and who finds none waits there, unseen by the server."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from practice_fleet.physics.queueing import Array, wait_mgc

NEAR = 0.97


@dataclass(frozen=True)
class Pooled:
    """By minute: mean seconds a call waits in the pooler, calls that wait there at a time, and those that give up (1/s), tries
    that are made again included."""

    wait_s: Array
    waiting: Array
    given_up: Array


def pooled(
    sessions: int, patience_s: float, rate: Array, response: Array, refused: Array, retries: float = 0.0
) -> Pooled:
    """What waits before ``sessions`` at these rates (1/s) and responses (s) of shape (statements, minutes).

    The pool is a station of M/G/c (Allen–Cunneen; calls vary as much as exponential ones). ``refused`` are calls for which it has no
    time at all: each of them waits until its patience ends, and whoever is let in then waits as long. ``retries`` is the share of
    tries that gave up which are followed by another: the pool being full, they only wait and give up again.
    """
    calls = np.maximum(rate.sum(axis=0), 1e-12)
    service = (rate * response).sum(axis=0) / calls
    given_up = refused.sum(axis=0) / (1 - retries)
    offered = np.minimum(calls * service, NEAR * sessions)
    wait = wait_mgc(sessions, offered / np.maximum(service, 1e-12), service)
    wait = np.where(given_up > 0, patience_s, np.minimum(wait, patience_s))
    return Pooled(wait, (calls + given_up) * wait, given_up)
