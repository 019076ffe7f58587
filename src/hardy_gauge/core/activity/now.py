"""What runs at this moment: the sessions of the last look, those who wait under whom they wait for, and counts by state."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field
from typing import Final, Literal

State = Literal["working", "waiting", "waiting for another session", "idle in a transaction"]
WORKING: Final = "working"
WAITING: Final = "waiting"
HELD_UP: Final = "waiting for another session"
IDLE: Final = "idle in a transaction"
STATES: tuple[State, ...] = (WORKING, WAITING, HELD_UP, IDLE)
LONG_S = 10.0  # a call that takes longer is counted as long: common practice for short transactions
PROCESSOR = "processor"


@dataclass(frozen=True)
class SessionNow:
    """A session as it was seen; ages in seconds, None where they are not reported. ``statement`` is the number of what it works on, or
    ran last; ``object`` is what it waits for the rows or the lock of; ``stage`` and ``done`` (a share) how far a long call is, where
    the engine says so.
    """

    session: int
    state: State
    user: str
    service: str
    database: str
    client: str
    route: str
    statement: int | None
    wait_event: str
    wait_family: str
    blockers: Sequence[int]
    call_s: float | None
    transaction_s: float | None
    object: str = ""
    stage: str = ""
    done: float | None = None


@dataclass(frozen=True)
class Look:
    """The last look at a server's sessions, each ``every_s`` seconds; ``error`` is why there is no later one."""

    at_us: int
    every_s: float
    sessions: Sequence[SessionNow] = field(default_factory=list)
    error: str = ""


def state_of(family: str, waits_for: Sequence[int]) -> State:
    if waits_for:
        return HELD_UP
    return WORKING if family == PROCESSOR else WAITING


def arranged(sessions: Sequence[SessionNow]) -> list[tuple[int, SessionNow]]:
    """With how deep each stands: whoever holds others first, those who wait under it, the deepest trees first; then the rest, the
    longest call first. One who waits for several stands under the first that was seen; a circle is cut where it is met again.
    """
    seen = {one.session: one for one in sessions}
    below: dict[int, list[SessionNow]] = {}
    for one in sessions:
        under = next((number for number in one.blockers if number in seen and number != one.session), None)
        if under is not None:
            below.setdefault(under, []).append(one)
    placed: dict[int, tuple[int, SessionNow]] = {}

    def place(one: SessionNow) -> None:
        todo = [(0, one)]
        while todo:
            depth, session = todo.pop()
            if session.session in placed:
                continue
            placed[session.session] = depth, session
            waiting = sorted(below.get(session.session, []), key=_age)
            todo += [(depth + 1, other) for other in waiting]

    waits = {one.session for group in below.values() for one in group}
    roots = [one for one in sessions if one.session in below and one.session not in waits]
    for one in sorted(roots, key=lambda root: -_size(root.session, below)):
        place(one)
    for one in sorted(sessions, key=_age, reverse=True):
        place(one)
    return list(placed.values())


def _age(one: SessionNow) -> float:
    return one.call_s if one.call_s is not None else one.transaction_s or 0.0


def _size(root: int, below: dict[int, list[SessionNow]]) -> int:
    """How many stand under a session."""
    met, todo = {root}, [root]
    while todo:
        for one in below.get(todo.pop(), []):
            if one.session not in met:
                met.add(one.session)
                todo.append(one.session)
    return len(met) - 1


@dataclass(frozen=True)
class NowCount:
    name: str
    count: int


@dataclass(frozen=True)
class ServerNow:
    """One server's counts: by state, and by wait family; ``open`` sessions where that is known. ``long_calls`` is None where sessions are
    at work and none tells since when.
    """

    server: str
    at_us: int | None
    error: str
    states: Sequence[NowCount]
    families: Sequence[NowCount]
    long_calls: int | None
    longest_s: float | None
    oldest_transaction_s: float | None
    open: int | None
    limit: int | None


@dataclass(frozen=True)
class SessionRow:
    """A session with what it works on; ``depth`` above 0 stands under whom it waits for; ``words`` is what it
    does."""

    session: int
    depth: int
    state: State
    words: str
    user: str
    service: str
    database: str
    client: str
    route: str
    fingerprint: str
    text: str
    plan: str
    wait_event: str
    wait_family: str
    blockers: Sequence[int]
    call_s: float | None
    transaction_s: float | None
    object: str
    stage: str
    done: float | None


@dataclass(frozen=True)
class Now:
    """``sessions`` is None where they were not asked for, or the scope has several servers; ``left_out`` are not listed.
    ``long_s`` is what a call takes at least that counts as long; ``may_end``: whether a session can be ended from here.
    """

    sentence: str
    now_us: int
    long_s: float
    servers: Sequence[ServerNow]
    sessions: Sequence[SessionRow] | None
    left_out: int
    may_end: bool


def counted_now(server: str, look: Look | None, open_: int | None, limit: int | None) -> ServerNow:
    """Counts of one look; without one, why."""
    if look is None:
        return ServerNow(server, None, "not looked at yet", [], [], 0, None, None, open_, limit)
    states = [NowCount(state, sum(one.state == state for one in look.sessions)) for state in STATES]
    families: dict[str, int] = {}
    for one in look.sessions:
        if one.state != IDLE:
            families[one.wait_family] = families.get(one.wait_family, 0) + 1
    calls = [one.call_s for one in look.sessions if one.call_s is not None and one.state != IDLE]
    ages = [one.transaction_s for one in look.sessions if one.transaction_s is not None]
    return ServerNow(
        server, look.at_us, look.error, [one for one in states if one.count],
        [NowCount(name, count) for name, count in sorted(families.items(), key=lambda item: (-item[1], item[0]))],
        None if families and not calls else sum(age >= LONG_S for age in calls), max(calls, default=None), max(ages, default=None), open_, limit,
    )  # fmt: skip
