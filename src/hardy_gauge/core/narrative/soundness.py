"""What is wrong with the runs of a trial, in words."""

from __future__ import annotations

from hardy_gauge.core.figures.formatting import counted
from hardy_gauge.core.figures.formatting import share as percent


def broken_words(check: str, arm: str, run: int, found: str) -> str:
    """A check that did not hold: after which run, and what its query gave."""
    return f"The data does not agree with itself after run {run} ({arm}): {check}; found {found}"


def unknown_words(check: str, run: int, why: str) -> str:
    """A check that could not be asked."""
    return f"Whether the data agrees with itself after run {run} is not known ({check}): {why}"


def mix_words(name: str, share: float, least: float) -> str:
    """A statement that had too small a part in the load."""
    return f"The load was not the mix that was stated: {name} had {percent(share)} of the executions, at least {percent(least)} were wanted"


def check_words(check: str, asked: int, held: int, found: str) -> str:
    """A check over all runs."""
    told = f"held after {held} of {counted(asked, 'run')}" if asked else "not known"
    return f"{check}: {told}{f'; found {found}' if found else ''}"


def share_words(name: str, share: float, least: float) -> str:
    """A share beside the least that was stated."""
    return f"{name} {percent(share)} of at least {percent(least)}"
