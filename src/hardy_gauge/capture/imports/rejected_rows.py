"""What an import did not take: which lines, and why."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterable, Iterator
from dataclasses import dataclass, field
from typing import Any

import polars as pl

from hardy_gauge.errors import InvalidInput

MOST_LISTED = 20_000


class ImportRefused(InvalidInput):
    """The file as a whole cannot be imported; ``field`` names what would have to be given otherwise."""

    title = "The file cannot be imported"

    def __init__(self, detail: str, field: str = "file") -> None:
        super().__init__(detail, field)


@dataclass(frozen=True)
class RejectedRow:
    """A line by its number, and why it was refused."""

    line: int
    why: str


@dataclass
class RejectedRows:
    """Lines by number (1 is the file's first) with the reason of each; beyond 20,000 they are only counted."""

    reasons: Counter[str] = field(default_factory=Counter)
    listed: list[tuple[int, str]] = field(default_factory=list)

    def add(self, line: int, why: str) -> None:
        self.reasons[kind_of(why)] += 1
        if len(self.listed) < MOST_LISTED:
            self.listed.append((line, why))

    def add_rows(self, rows: Iterable[tuple[int, str]]) -> None:
        for line, why in rows:
            self.add(line, why)

    def split(self, frame: pl.DataFrame) -> pl.DataFrame:
        """The rows without a reason in ``why``; the others are noted with their ``line``."""
        refused = frame.filter(pl.col("why").is_not_null())
        if len(refused):
            room = max(0, MOST_LISTED - len(self.listed))
            self.add_rows(refused.head(room).select("line", "why").iter_rows())
            self.reasons.update(kind_of(str(why)) for why in refused["why"][room:])
        return frame.filter(pl.col("why").is_null()).drop("why")

    @property
    def count(self) -> int:
        return sum(self.reasons.values())

    def forget(self, beginning: str) -> None:
        """Do not mention what was rejected for a reason that begins so."""
        for why in [why for why in self.reasons if why.startswith(beginning)]:
            del self.reasons[why]
        self.listed[:] = [one for one in self.listed if not one[1].startswith(beginning)]

    def document(self) -> dict[str, Any]:
        """For the store: lines in order."""
        return {"reasons": dict(self.reasons.most_common()), "listed": sorted(self.listed)}


def kind_of(why: str) -> str:
    """A reason without the value that stands in it, so that alike ones are counted together."""
    return why.partition(": ")[0]


def of_document(document: dict[str, Any]) -> Iterator[tuple[int, str]]:
    for line, why in document.get("listed", []):
        yield int(line), str(why)
