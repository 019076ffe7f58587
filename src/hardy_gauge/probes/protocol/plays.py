"""Workloads played against a server, and histories of what it remembers."""

from __future__ import annotations

from typing import Literal

from pydantic import Field

from hardy_gauge.probes.protocol.base import MOST_NAMES, Message
from hardy_gauge.probes.protocol.plans import Explained
from hardy_gauge.probes.protocol.state import IndexSpec


class PlayStatement(Message):
    """A statement of a workload, called in proportion to its weight."""

    text: str
    weight: float = Field(gt=0)


class Arrival(Message):
    """``open``: Poisson arrivals at ``rate_per_s``. ``closed``: ``workers``, each pausing ``think_s`` on average.
    ``recorded``: arrivals at ``times_s`` after the start.

    A ``uniform`` pause lies between ``think_s`` and ``think_most_s``. Workers take statements by ``weight``, in
    the ``file``'s order, or each one its ``own``.
    """

    kind: Literal["open", "closed", "recorded"] = "closed"
    rate_per_s: float | None = Field(None, gt=0, le=20_000)
    workers: int | None = Field(None, ge=1, le=2_000)
    think_s: float = Field(0.0, ge=0)
    think_most_s: float = Field(0.0, ge=0)
    think: Literal["fixed", "uniform", "exponential"] = "exponential"
    times_s: list[float] = Field(default_factory=list, max_length=1_000_000)
    order: Literal["weight", "file", "own"] = "weight"


class PlayRequest(Message):
    """Play a workload against the server with changes made for this run only; ``cold`` empties its caches first."""

    statements: list[PlayStatement] = Field(min_length=1)
    arrival: Arrival
    seconds: float = Field(gt=0, le=3600)
    seed: int = Field(0, ge=0)
    cold: bool = False
    settings: dict[str, float | int | str | bool] = Field(default_factory=dict)
    add_indexes: list[IndexSpec] = Field(default_factory=list)
    drop_indexes: list[str] = Field(default_factory=list)


class PlaySecond(Message):
    """A second of a played workload: executions that ended and failed, seconds that those that ended took, sessions at work by wait event
    when they were looked at (None where they were not), and the share of it in which each part of the host was busy.
    """

    ended: int = Field(ge=0)
    failed: int = Field(0, ge=0)
    took_s: float = Field(0.0, ge=0)
    waits: dict[str, float] | None = Field(None, max_length=MOST_NAMES)
    busy: dict[str, float] = Field(default_factory=dict, max_length=MOST_NAMES)


class PlayState(Message):
    """How far a played workload is; the answer to its start has the ``plans`` of its statements, in their order, where they are known.
    ``by_second`` is how it went from ``since_s`` so far, of a play that tells.
    """

    play: str
    state: Literal["running", "finished", "stopped", "failed"]
    done_s: float
    seconds: float
    detail: str = ""
    utilisation: dict[str, float] = Field(default_factory=dict)
    plans: list[Explained] = Field(default_factory=list, max_length=MOST_NAMES)
    since_s: int = Field(0, ge=0)
    by_second: list[PlaySecond] = Field(default_factory=list, max_length=3600)


HistoryKind = Literal["metric", "statement", "sample", "holder", "execution"]
