"""Plans that a server was told to keep for a statement."""

from __future__ import annotations

from pydantic import Field

from hardy_gauge.probes.protocol.base import MOST_NAMES, Message


class PinRequest(Message):
    """Keep one plan for a statement, which is named by the key of its counter; without a plan the engine chooses again."""

    statement: str
    plan_key: str | None = None


class Pin(Message):
    """A plan that is kept; ``since_us`` is when it was told to, where the server knows."""

    statement: str
    text: str
    plan_key: str
    since_us: int | None = None


class Pins(Message):
    """All that are in force."""

    at_us: int
    pins: list[Pin] = Field(max_length=MOST_NAMES)
