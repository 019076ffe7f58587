"""What makes an index needless: the one place for rules, sets and lists of them. Common practice."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Protocol, TypeVar

# a week has every rhythm but the month's end
COUNTED_S = 7 * 86_400.0
# smaller ones cost next to nothing
LEAST_BYTES = 2**20


class Listed(Protocol):
    """An index as it is listed."""

    @property
    def name(self) -> str: ...
    @property
    def columns(self) -> tuple[str, ...]: ...
    @property
    def partial(self) -> bool: ...
    @property
    def valid(self) -> bool: ...
    @property
    def enforces(self) -> bool:
        """Whether it keeps a constraint, so that it is no index to do without."""


Index = TypeVar("Index", bound=Listed)


def served_by(index: Listed, others: Iterable[Index]) -> Index | None:
    """Another index of the table that begins with the columns of this one, so that it serves whatever this one serves; of two alike the
    later name goes. None where there is none, or it holds only a part of the rows.
    """
    if index.partial:
        return None
    for other in others:
        begins = other.columns[: len(index.columns)] == index.columns and not other.partial and other.valid
        if other.name == index.name or not begins:
            continue
        if len(other.columns) > len(index.columns) or other.name < index.name or other.enforces:
            return other
    return None
