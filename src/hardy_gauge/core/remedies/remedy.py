"""Remedies: changes that would help, each with its script, how it is undone, what it would bring and could harm."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Literal

from hardy_gauge.core.diagnosis.fact import Fact

RemedyKind = Literal["index change", "setting change", "rewrite", "pin", "upkeep", "operation", "capacity", "talk"]


@dataclass(frozen=True)
class IndexChange:
    """An index to build, as a trial or a what-if question takes it."""

    table: str
    columns: list[str]


@dataclass(frozen=True)
class SettingChange:
    """A setting by the server's own name, with the value to give it and the one it has, as a trial takes them."""

    name: str
    value: float | int | str | bool
    before: float | int | str | bool


# why a change of a kind cannot be tried as it stands
NOT_TRIED: dict[RemedyKind, str] = {
    "talk": "Nothing on a server to try: it is for people to decide.",
    "capacity": "A lab server has the hardware it has; compare single reads and writes on the new one instead.",
    "operation": "It is done once, on the server itself.",
    "rewrite": "The changed text has to be written first; then make a trial of both texts.",
    "upkeep": "Try it on a copy of the data: how long it takes there is how long it takes here.",
    "pin": "Play the statement with both plans on a lab server with the same data.",
    "index change": "To try it, make a trial whose candidate drops the index.",
    "setting change": "To try it, make a trial with a value for each arm.",
}


@dataclass(frozen=True)
class Remedy:
    """A change with its expected effect and side effects. ``applies`` says when it takes effect; ``index`` or ``setting`` is what a
    trial would change, None where the change is of another kind; ``not_tried`` says why
    it cannot be tried as it stands.
    """

    kind: RemedyKind
    title: str
    script: str
    undo: str
    applies: Literal["at once", "at restart"]
    expected: list[Fact]
    side_effects: list[Fact]
    cautions: list[str] = field(default_factory=list)
    index: IndexChange | None = None
    setting: SettingChange | None = None
    not_tried: str = ""
