"""The sheet of a cluster: its members beside each other, agreement, balance, partitions on the move, replication, what happened."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from hardy_gauge.core.cluster.rebalancing import TimeLeft
from hardy_gauge.core.figures.gauge import NamedGauge


@dataclass(frozen=True)
class MemberColumn:
    """``calls_part`` and ``bytes_part`` are its parts of those of all members of its role, ``even`` what an even part is; ``lag_s`` and
    ``lag_bytes`` how far it is behind, with ``lag_words`` why where that is found; ``moving`` partitions on their way
    (``moving_words`` says how many, and until when), ``left`` until none are.
    """

    server: str
    role: str
    version: str
    answers: bool
    figures: Sequence[NamedGauge]
    calls_part: float | None
    bytes_part: float | None
    bytes: float | None
    even: float | None
    lag_s: float | None
    lag_bytes: float | None
    lag_words: str
    members_seen: int | None
    moving: float | None
    missing: float | None
    moving_words: str
    left: TimeLeft | None
    findings: int


@dataclass(frozen=True)
class Difference:
    """A setting that is not the same on all members: names of members by value."""

    name: str
    values: dict[str, Sequence[str]]


@dataclass(frozen=True)
class ClusterSheet:
    """``odd`` is what is unlike, ``well`` what agrees; ``story`` what happened to members in the focus, oldest first."""

    cluster: str
    sentence: str
    members: Sequence[MemberColumn]
    odd: Sequence[str]
    well: Sequence[str]
    story: Sequence[str]
    settings: Sequence[Difference]
    unknown: Sequence[str]
