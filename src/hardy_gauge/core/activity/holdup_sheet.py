"""The sheet of holdups: who held whom up over a focus, where the time was lost, and one tree of waiting as lanes."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from hardy_gauge.core.log.message_row import MessageRow
from hardy_gauge.core.reference.typical_day import Typical


@dataclass(frozen=True)
class Lost:
    """Time that sessions waited for other sessions, of one object, wait event or service; ``share`` of all of it."""

    name: str
    waited_s: float
    share: float


@dataclass(frozen=True)
class TreeRow:
    """A tree of waiting; ``key`` names it in an address, ``text`` is what its root works on or ran last, ``waiting_text`` what most of
    those who wait for it run; ``goes_on`` where others waited for it a moment ago, so that it may not be over.
    """

    key: str
    server: str
    session: int
    from_us: int
    until_us: int
    doing: str
    words: str
    user: str
    service: str
    fingerprint: str
    text: str
    waited_s: float
    share: float
    most: int
    depth: int
    waiters: int
    object: str
    wait_event: str
    waiting_fingerprint: str
    waiting_text: str
    goes_on: bool


@dataclass(frozen=True)
class LaneStretch:
    """What a session did from one moment to another; ``number`` is that of its statement in ``Lanes.statements``, None where none is known."""

    from_us: int
    until_us: int
    doing: str
    number: int | None
    blockers: Sequence[int]


@dataclass(frozen=True)
class LaneRow:
    """One session of a tree: ``depth`` 0 is its root."""

    session: int
    depth: int
    user: str
    service: str
    waited_s: float
    words: str
    stretches: Sequence[LaneStretch]


@dataclass(frozen=True)
class LaneStatement:
    fingerprint: str
    text: str


@dataclass(frozen=True)
class Lanes:
    """The lanes of one tree, the root first; ``left_out`` sessions of it are not shown."""

    key: str
    lanes: Sequence[LaneRow]
    statements: Sequence[LaneStatement]
    left_out: int


@dataclass(frozen=True)
class LostOverTime:
    """Sessions that waited for others, on average over each step, by what those did that they waited for."""

    at_us: Sequence[int]
    step_us: int
    series: dict[str, Sequence[float]]


@dataclass(frozen=True)
class Circle:
    """Sessions that were seen waiting for each other in a circle, each for the next."""

    server: str
    at_us: int
    sessions: Sequence[int]


@dataclass(frozen=True)
class Holdups:
    """``waiting`` is how many sessions waited for others on average; ``trees`` the first of the ``found``; ``deadlocks`` what the log says of
    calls given up, with both sides in ``detail``; ``services`` and
    ``users`` those that can be asked for; ``unknown`` what could not be looked at, in words.
    """

    sentence: str
    reference_note: str
    focus: str
    seconds: float
    waited_s: float
    waiting: float
    reference: Typical | None
    difference: str
    found: int
    trees: Sequence[TreeRow]
    lanes: Lanes | None
    objects: Sequence[Lost]
    events: Sequence[Lost]
    over_time: LostOverTime
    deadlocks: Sequence[MessageRow]
    circles: Sequence[Circle]
    services: Sequence[str]
    users: Sequence[str]
    unknown: Sequence[str]
