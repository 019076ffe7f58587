"""Changes of a server, where it allows them."""

from __future__ import annotations

from pydantic import Field

from hardy_gauge.probes.protocol.base import Message


class SettingChange(Message):
    """Change one setting; whether at once or at the next restart is in what the setting says of itself."""

    name: str
    value: float | int | str | bool


class VolumeGrowth(Message):
    """Make a volume larger; volumes never shrink."""

    capacity_bytes: int = Field(gt=0)


class Done(Message):
    """A change that was begun, and what it means."""

    at_us: int
    detail: str
