"""A change of a server in one line."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Literal

from hardy_gauge.core.figures import formatting

CHANGED_FROM = " changed from "
NAMED = 3
UPKEEP = {"upkeep": "upkeep run on", "statistics": "statistics gathered of"}


def setting_words(name: str, before: str, after: str) -> str:
    """ "sort_memory changed from 4 MiB to 64 MiB"."""
    return f"{name}{CHANGED_FROM}{before} to {after}"


def value_words(value: object, unit: str | None) -> str:
    """A setting's value in the unit that a person would say."""
    if isinstance(value, bool):
        return "on" if value else "off"
    if isinstance(value, int | float):
        return formatting.binary_size(value) if unit == "B" and value >= 0 else formatting.figure(value, unit or "")
    return str(value)


def upkeep_words(what: Literal["upkeep", "statistics"], tables: Sequence[str]) -> str:
    """Of which tables; the first three by name."""
    more = len(tables) - NAMED
    named = ", ".join(tables[:NAMED]) + (f" and {more} more table{'s' * (more > 1)}" if more > 0 else "")
    return f"{UPKEEP[what]} {named}"
