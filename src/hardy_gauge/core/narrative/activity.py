"""What servers do, in words, by wait family."""

from __future__ import annotations

from collections.abc import Mapping

DOING = {
    "processor": "working", "data read": "reading data", "data write": "writing data", "log write": "writing the log",
    "row lock": "waiting for row locks", "object lock": "waiting for object locks",
    "internal latch": "waiting for latches", "memory": "waiting for memory",
    "temporary space": "using temporary space", "client": "waiting for clients", "replication": "waiting for replicas",
    "other": "waiting for other things",
}  # fmt: skip


def doing_words(by_family: Mapping[str, float]) -> str:
    """What most of the time goes to; "idle" where there is none."""
    if not any(by_family.values()):
        return "idle"
    return DOING.get(max(by_family, key=lambda family: by_family[family]), "busy")
