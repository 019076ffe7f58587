"""The sheet of changes: everything that changed over a focus under the load, and what followed each."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal, get_args

from hardy_gauge.core.changes.followed import Effect, Shown

ChangeKind = Literal[
    "setting", "schema", "plan", "statement", "upkeep", "software", "hardware", "member", "job", "deployment", "note"
]
KINDS: tuple[ChangeKind, ...] = get_args(ChangeKind)
# what people and programs note; all else is seen by the product
NOTED: tuple[ChangeKind, ...] = ("deployment", "note", "hardware")


@dataclass(frozen=True)
class NotedFinding:
    """A finding that began about the time of a change on its server."""

    id: int
    title: str
    grade: str


@dataclass(frozen=True)
class ChangeRow:
    """One change. ``id`` is None of what is not stored as such (a plan, a statement first seen); ``before`` and ``after`` are what it was
    and is, empty where that is not known; ``besides`` changed on the same server so close that which of them it was cannot be told;
    ``after_span`` and ``before_span`` are the times compared, the first empty while it is too early. ``findings`` began
    about then on the same server.
    """

    id: int | None
    at_us: int
    server: str
    kind: str
    title: str
    object: str
    before: str
    after: str
    who: str
    fingerprint: str
    shown: Shown
    words: str
    effects: Sequence[Effect]
    besides: Sequence[str]
    noted: bool
    after_span: str
    before_span: str
    findings: Sequence[NotedFinding]


@dataclass(frozen=True)
class Changes:
    """Newest first; ``leads`` is the place of the one that the sentence names, None where none is shown to matter; ``kinds`` counts those of the focus by kind, whatever is asked for; ``left_out`` are not listed."""

    sentence: str
    focus: str
    changes: Sequence[ChangeRow]
    leads: int | None
    kinds: dict[str, int]
    left_out: int
