"""What the log said, by shape of the message."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal


@dataclass(frozen=True)
class MessageRow:
    """Messages of one shape; ``services`` are those that met it, ``text`` and ``fingerprint`` of the statement that ran most often
    then, ``detail`` the last one kept.
    """

    severity: Literal["error", "warning", "info"]
    code: str
    shape: str
    count: int
    first_us: int
    last_us: int
    services: list[str]
    fingerprint: str
    text: str
    detail: str
