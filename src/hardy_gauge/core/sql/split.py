"""A text of several statements cut at the semicolons that are not inside strings, names or comments."""

from __future__ import annotations

import re
from dataclasses import dataclass

from hardy_gauge.core.sql.normalise import TOKEN

_WEIGHT = re.compile(r"(?:--|/\*)\s*weight\s*[:=]\s*([0-9]+(?:\.[0-9]+)?)", re.IGNORECASE)


@dataclass(frozen=True)
class Cut:
    """One statement without its semicolon; ``line`` is where its first word stands. ``weight`` from a comment
    "weight: 3" before or in it, otherwise 1.
    """

    line: int
    sql: str
    weight: float


def split(text: str) -> list[Cut]:
    """The statements of a text, in order; comments that stand alone are none."""
    cuts: list[Cut] = []
    start = 0
    for match in TOKEN.finditer(text):
        if match.lastgroup == "operator" and match[0] == ";":
            _add(cuts, text, start, match.start())
            start = match.end()
    _add(cuts, text, start, len(text))
    return cuts


def _add(cuts: list[Cut], text: str, start: int, end: int) -> None:
    first = next((m for m in TOKEN.finditer(text, start, end) if m["space"] is None), None)
    if first is None:
        return
    weight = _WEIGHT.search(text, start, end)
    line = text.count("\n", 0, first.start()) + 1
    cuts.append(Cut(line, text[first.start() : end].strip(), float(weight[1]) if weight else 1.0))
