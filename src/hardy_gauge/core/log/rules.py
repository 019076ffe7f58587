"""Rules of people about log messages: how grave a message is to them, or that it is not to be shown."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal, get_args

Severity = Literal["error", "warning", "info"]
Takes = Literal["error", "warning", "info", "ignore", "finding"]
SEVERITIES: tuple[Severity, ...] = get_args(Severity)


@dataclass(frozen=True)
class LogRule:
    """Messages whose shape or code has the words of ``pattern``, in any case and order, are taken as ``takes``; as a "finding" they are
    errors that somebody is told of.
    """

    id: int
    pattern: str
    takes: Takes
    made_by: str

    def holds(self, shape: str, code: str) -> bool:
        text = f"{shape} {code}".lower()
        return all(word in text for word in self.pattern.lower().split())


def taken_as(rules: Sequence[LogRule], severity: str, shape: str, code: str) -> tuple[Takes, LogRule | None]:
    """By the last rule that holds; what the server says where none does."""
    rule = next((one for one in reversed(rules) if one.holds(shape, code)), None)
    if rule is not None:
        return rule.takes, rule
    return next((one for one in SEVERITIES if one == severity), "info"), None
