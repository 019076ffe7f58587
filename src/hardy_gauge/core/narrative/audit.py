"""What a line of the audit log says was changed."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any

MOST = 120


def line_words(changes: Mapping[str, Mapping[str, Sequence[Any]]], more: Mapping[str, Any]) -> str:
    """Old and new values by row, then what else is known: "account watch: hosts none → db1:5432"."""
    rows = [
        f"{row}: {', '.join(_column(name, *pair) for name, pair in columns.items())}"
        for row, columns in changes.items()
    ]
    return "; ".join([*rows, *(f"{name} {_value(value)}" for name, value in more.items())])


def chain_words(broken: int | None) -> str:
    """Whether the chain of lines holds; ``broken`` is the first line that does not follow."""
    if broken is None:
        return "Every line follows from the one before it."
    return f"Line {broken} does not follow from the one before it: it was changed, or lines are missing."


def _column(name: str, old: Any, new: Any) -> str:
    if (old, new) == ("", "changed"):
        return f"{name} changed"
    if old is None:
        return f"{name} {_value(new)}"
    return f"{name} {_value(old)} → {_value(new)}"


def _value(value: Any) -> str:
    if value in (None, "", [], {}):
        return "none"
    text = ", ".join(map(str, value)) if isinstance(value, list) else str(value)
    return text if len(text) <= MOST else f"{text[:MOST]}…"
