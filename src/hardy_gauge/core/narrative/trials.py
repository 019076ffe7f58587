"""What the list of trials says first."""

from __future__ import annotations


def trials_sentence(count: int, running: int) -> str:
    """How many trials there are, and how many run."""
    if not count:
        return "No trial yet. State a goal and try one change."
    filed = f"{count} trials are on file" if count != 1 else "One trial is on file"
    return f"{filed}, {running or 'none'} running."
