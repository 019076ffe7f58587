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
class Remedy:
    """A change with its expected effect and side effects. ``applies`` says when it takes effect; ``index`` is what a
    trial would build, None where the change is of another kind.
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
