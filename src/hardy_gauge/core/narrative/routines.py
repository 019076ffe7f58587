"""What is said of the routines that a statement calls, or that run it."""

from __future__ import annotations

from collections.abc import Sequence

from hardy_gauge.core.figures.formatting import listed

MOST = 3


def routines_sentence(called: Sequence[str], dynamic: Sequence[str], within: Sequence[str]) -> str:
    """From the definitions of the routines; whose calls a figure counts is not told by a server."""
    parts = []
    if called:
        parts.append(f"It calls {listed(called, MOST)}, whose statements stand below; they may have other callers too")
    if dynamic:
        parts.append(
            f"{listed(dynamic, MOST)} also runs texts that it puts together itself, which a definition does not tell"
        )
    if within:
        parts.append(f"It stands in the definition of {listed(within, MOST)}")
    return ". ".join(parts) + "."
