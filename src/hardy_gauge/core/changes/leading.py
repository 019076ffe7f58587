"""Which of several changes is spoken of first."""

from __future__ import annotations

import math
from collections.abc import Sequence

from hardy_gauge.core.changes.sheet import ChangeRow

FOLLOWING = ("plan", "statement")  # these follow from something else that changed, where that is known
LEAST_RATIO = 1e-3


def shown_to_matter(rows: Sequence[ChangeRow]) -> list[int]:
    """Places of those after which figures are different, without upkeep, which comes by itself."""
    return [place for place, row in enumerate(rows) if row.shown == "shown" and row.kind != "upkeep"]


def leading(rows: Sequence[ChangeRow]) -> int | None:
    """Place of the one after which most is different, a cause rather than what follows from one; None where none is shown to matter."""
    shown = shown_to_matter(rows)
    return max(shown, key=lambda place: (rows[place].kind not in FOLLOWING, _size(rows[place])), default=None)


def _size(row: ChangeRow) -> float:
    return max((distance(one.ratio) for one in row.effects if one.shown == "shown"), default=0.0)


def distance(ratio: float | None) -> float:
    """How far a ratio is from 1, either way: |ln ratio|."""
    return abs(math.log(max(ratio or 0.0, LEAST_RATIO)))
