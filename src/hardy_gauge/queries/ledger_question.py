"""What a ledger is asked: its dimensions, its measure, and what is filtered in and out."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field

from hardy_gauge.core.activity.ledger import DIMENSIONS, TIME, Dimension, Measure
from hardy_gauge.errors import InvalidInput

FILTER, WITHOUT = "filter.", "without."
Filters = Mapping[Dimension, Sequence[str]]


@dataclass(frozen=True)
class LedgerQuestion:
    """Entries ``by`` one dimension, crossed with another, and perhaps a third that is stepped ``through``, at one of its entries or at
    all; of what has one of the values in ``filters`` and none of those in ``without``.
    """

    by: Dimension = "wait_family"
    against: Dimension = "statement"
    through: Dimension | None = None
    at: str = ""
    measure: Measure = TIME
    filters: Filters = field(default_factory=dict)
    without: Filters = field(default_factory=dict)

    @property
    def shown(self) -> list[Dimension]:
        """The dimensions of the map."""
        return [self.by, self.against, *([self.through] if self.through else [])]

    @property
    def all(self) -> list[Dimension]:
        """Every dimension that rows are read for."""
        return list(dict.fromkeys([*self.shown, *self.filters, *self.without]))

    @property
    def key(self) -> tuple[object, ...]:
        """What makes it another question."""
        given = tuple(
            tuple(sorted((name, *values) for name, values in one.items())) for one in (self.filters, self.without)
        )
        return (self.by, self.against, self.through, self.at, self.measure, *given)

    def check(self) -> None:
        """InvalidInput where a dimension is crossed with itself."""
        if self.by == self.against:
            raise InvalidInput("against: choose another dimension than 'by'", "against", "One dimension twice")
        if self.through in (self.by, self.against):
            raise InvalidInput("through: choose a third dimension", "through", "One dimension twice")


def check_filters(names: Iterable[str]) -> None:
    """InvalidInput when one of the names, such as "filter.user", is of no dimension."""
    for name in names:
        if name.removeprefix(FILTER).removeprefix(WITHOUT) not in DIMENSIONS:
            detail = f"{name}: no such dimension; there are {', '.join(DIMENSIONS)}"
            raise InvalidInput(detail, name, "Unknown dimension")
