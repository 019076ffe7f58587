"""The engine-neutral groups of what a session waits for, in the fixed order of a stack."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Literal, get_args

WaitFamily = Literal[
    "processor", "data read", "data write", "log write", "row lock", "object lock", "internal latch", "memory",
    "temporary space", "client", "replication", "other",
]  # fmt: skip
FAMILIES: tuple[WaitFamily, ...] = get_args(WaitFamily)


class WaitMap:
    """Names of one engine's wait events by family; an unknown event falls in *other*.

    A name "Kind:*" is for every event of a kind that has no line of its own.
    """

    def __init__(self, families: Mapping[str, str]) -> None:
        if wrong := set(families.values()) - set(FAMILIES):
            raise ValueError(f"no such wait family: {', '.join(sorted(wrong))}")
        self.families = dict(families)

    def family(self, event: str) -> str:
        """The family of an event; of its kind, such as ``IO:*``, where the event has no line; otherwise "other"."""
        named = self.families.get(event)
        return named or self.families.get(f"{event.partition(':')[0]}:*", "other")
