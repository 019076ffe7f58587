"""The plan as the product sees it, whatever engine made it: a tree of steps with times and rows."""

from __future__ import annotations

import hashlib
from collections.abc import Iterator
from dataclasses import dataclass, field

from hardy_gauge.errors import InvalidInput


@dataclass
class Step:
    """One step. ``time_s`` includes the steps below and is summed over all ``loops``; None if not run.

    ``processes`` is how many processes ran the step beside each other; ``rows_*`` are totals.
    """

    operation: str
    words: str
    object: str | None = None
    index: str | None = None
    predicate: str | None = None
    rows_expected: float = 0.0
    rows_seen: float | None = None
    rows_examined: float | None = None
    loops: float = 1.0
    cost: float | None = None
    time_s: float | None = None
    pages_requested: float | None = None
    pages_read: float | None = None
    steps: list[Step] = field(default_factory=list)
    own_time_s: float | None = None
    never_run: bool = False

    def walk(self, depth: int = 0) -> Iterator[tuple[int, Step]]:
        """The step and all below it with their depth, in reading order."""
        yield depth, self
        for step in self.steps:
            yield from step.walk(depth + 1)

    def shape(self) -> str:
        """What the step and those below it do, and on which objects: equal for plans that differ in figures only."""
        below = ",".join(step.shape() for step in self.steps)
        return f"{self.operation}:{self.object or ''}:{self.index or ''}({below})"


@dataclass
class Plan:
    """A whole plan; ``source`` names the reader that made it."""

    root: Step
    source: str
    cost: float | None = None
    time_s: float | None = None

    @property
    def plan_id(self) -> str:
        """Hash of the plan's shape: operations and objects, not figures."""
        return hashlib.sha256(self.root.shape().encode()).hexdigest()[:12]


class MalformedPlan(InvalidInput):
    """A text that is no plan; ``field`` names what is wrong with it."""

    title = "The plan cannot be read"

    def __init__(self, detail: str, field: str = "plan") -> None:
        super().__init__(detail, field)
