"""What a mosaic leaves out."""

from __future__ import annotations

from hardy_gauge.core.figures.formatting import share

LEAST_SAID = 0.001


def rest_words(rest: float) -> str:
    """``rest`` is the share of the time in columns that are not drawn; empty where it is next to nothing."""
    return f"{share(rest)} is in smaller columns." if rest > LEAST_SAID else ""
