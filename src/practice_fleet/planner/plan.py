"""A plan as the practice planner makes it: steps with estimates, true rows and what each asks of the host."""

from __future__ import annotations

import hashlib
from collections.abc import Iterator
from dataclasses import dataclass, field
from typing import Literal

Side = Literal["coordinator", "worker"]
WRITES = ("insert", "update", "delete")


@dataclass
class Demand:
    """What one execution asks for. ``random`` and ``stream`` are pages by table or index name.

    ``stream`` pages come in order, by read-ahead; ``temporary`` pages are written and read back; ``dirty``
    pages are changed; ``network`` bytes go to other servers of the cluster.
    """

    processor_s: float = 0.0
    random: dict[str, float] = field(default_factory=dict)
    stream: dict[str, float] = field(default_factory=dict)
    temporary: float = 0.0
    log_bytes: float = 0.0
    dirty: dict[str, float] = field(default_factory=dict)
    network: float = 0.0

    def scaled(self, factor: float) -> Demand:
        return Demand(
            self.processor_s * factor,
            {k: v * factor for k, v in self.random.items()},
            {k: v * factor for k, v in self.stream.items()},
            self.temporary * factor,
            self.log_bytes * factor,
            {k: v * factor for k, v in self.dirty.items()},
            self.network * factor,
        )

    @property
    def pages(self) -> float:
        return sum(self.random.values()) + sum(self.stream.values())


@dataclass
class Node:
    """One step; figures are totals over ``loops`` and exclude the steps below.

    ``most`` is how many groups there can be, expected and true; ``width`` is bytes of a row that is returned, at the top. In a reporting cluster ``at`` says which side does it, and ``beside`` how many tasks a worker runs for it at a time.
    """

    operation: str
    words: str
    rows_expected: float
    rows_true: float
    cost: float
    demand: Demand = field(default_factory=Demand)
    table: str | None = None
    index: str | None = None
    predicate: str | None = None
    examined: float = 0.0
    loops: float = 1.0
    below: list[Node] = field(default_factory=list)
    most: tuple[float, float] | None = None
    width: float = 0.0
    at: Side | None = None
    beside: float = 1.0

    def walk(self) -> Iterator[Node]:
        yield self
        for child in self.below:
            yield from child.walk()

    def on(self, side: Side | None) -> list[Node]:
        """The steps that a side does; all of them where there are no sides."""
        return [node for node in self.walk() if side is None or node.at == side]

    @property
    def write(self) -> Node | None:
        """The step that changes rows, if there is one."""
        return next((node for node in self.walk() if node.operation in WRITES), None)

    def total_cost(self) -> float:
        return self.cost + sum(child.total_cost() for child in self.below)

    def stop_early(self, share: float) -> None:
        """Only this share of the rows is fetched; what must be whole before its first row stays whole."""
        if self.operation in ("sort", "aggregate"):
            return
        self.demand = self.demand.scaled(share)
        self.rows_true *= share
        self.examined *= share
        for child in self.below[:1] if self.operation == "hash join" else self.below:
            child.stop_early(share)

    def shape(self) -> str:
        below = ",".join(child.shape() for child in self.below)
        return f"{self.operation}:{self.table or ''}:{self.index or ''}({below})"

    def key(self) -> str:
        """Names the plan's shape: the same operations on the same objects give the same key."""
        return hashlib.sha256(self.shape().encode()).hexdigest()[:12]
