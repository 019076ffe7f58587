"""What the difference of two snapshots says first."""

from __future__ import annotations

from hardy_gauge.core.figures.formatting import duration, share
from hardy_gauge.core.narrative.comparison import short


def difference_sentence(server: str, span_s: float, top: tuple[float, str] | None, settings: int) -> str:
    """How long lies between them and where the time went; ``top`` is the heaviest statement's share and text."""
    words = f"{server} over {duration(span_s)}"
    if top is not None:
        words += f": {share(top[0])} of its statements' time went to {short(top[1], 71)}"
    if settings:
        words += f"; {settings} setting{'s' if settings > 1 else ''} changed"
    return words
