"""Who answers: identity, members of its cluster, host, and what it can and cannot report."""

from __future__ import annotations

from typing import Literal

from pydantic import Field

from hardy_gauge.probes.protocol.base import MOST_NAMES, PROTOCOL_VERSION, Message

Ability = Literal[
    "counters",
    "statements",
    "sessions",
    "executions",
    "settings",
    "schema",
    "explain",
    "plans",
    "messages",
    "storage",
    "history",
    "play",
    "change",
    "members",
    "host",
    "call_begin",
    "objects",
    "page_trace",
    "end_session",
    "own_figures",
    "pins",
    "cached_pages",
]


class Identity(Message):
    """Who answers, how long it has been up, what its clock says, and what it can report."""

    protocol: int = PROTOCOL_VERSION
    server: str
    cluster: str
    role: Literal["primary", "replica", "member", "single", "coordinator", "worker"]
    engine: str
    engine_version: str
    started_at_us: int
    clock_us: int
    abilities: list[Ability] = Field(max_length=MOST_NAMES)
    history_since_us: int | None = Field(None, description="start of what the history ability can still deliver")


class Volume(Message):
    """One storage volume: ``purpose`` is what the engine keeps there."""

    name: str
    purpose: Literal["data", "log", "both"]
    capacity_bytes: int
    used_bytes: int
    operations_per_s_limit: float | None = None
    bytes_per_s_limit: float | None = None


class Host(Message):
    """Facts of the machine; None and an empty list where the server cannot see its host. ``settings`` are those of its
    system that concern databases, as it says them: swap_tendency, large_pages, memory_promised, power_saving.
    """

    cores: int | None = None
    memory_bytes: int | None = None
    volumes: list[Volume] = Field(max_length=MOST_NAMES, default_factory=list)
    settings: dict[str, str] = Field(max_length=MOST_NAMES, default_factory=dict)


class Member(Message):
    """A server of the same cluster as this one sees it; ``address`` is how it would be reached, if that is known."""

    name: str
    role: str
    address: str | None = None
    detail: str = ""


class Members(Message):
    """The other servers of a cluster, as one server sees them."""

    at_us: int
    members: list[Member] = Field(max_length=MOST_NAMES)


class Report(Message):
    """Whether a server reports something, why not, and what has to be switched on there."""

    ability: Ability
    reported: bool
    what: str
    why: str = ""
    remedy: str = ""


class Readiness(Message):
    """What a server reports, ability by ability."""

    at_us: int
    reports: list[Report] = Field(max_length=MOST_NAMES)
