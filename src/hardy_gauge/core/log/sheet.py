"""The sheet of the log."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from hardy_gauge.core.log.rules import LogRule, Takes


@dataclass(frozen=True)
class Shape:
    """Messages of one shape: ``severity`` as people take it, ``said`` as the server does; ``counts`` by step of the focus; the statement
    that ran most often then; ``detail`` the last one kept; ``rule`` the number of the rule that changed its severity.
    """

    severity: Takes
    said: str
    code: str
    shape: str
    count: int
    first_us: int
    last_us: int
    counts: Sequence[int]
    servers: Sequence[str]
    services: Sequence[str]
    users: Sequence[str]
    fingerprint: str
    text: str
    detail: str
    rule: int | None


@dataclass(frozen=True)
class LogSheet:
    """The gravest first, then the most frequent. ``ignored`` messages are not shown; ``left_out`` shapes are not listed."""

    sentence: str
    focus: str
    at_us: Sequence[int]
    step_us: int
    shapes: Sequence[Shape]
    severities: dict[str, int]
    ignored: int
    left_out: int
    rules: Sequence[LogRule]
    unknown: Sequence[str]
