"""A line of trials, each of which came of the one before with something changed: what that was."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from typing import Any

# what a trial is called by, and what came of another
NAMES = frozenset({"title", "question", "follows"})
MOST_CHARACTERS = 60


def changed_in(before: Mapping[str, Any], after: Mapping[str, Any]) -> list[str]:
    """What is not the same in two designs, each by its path, such as ``run.blocks: 5 → 10``; names and questions are left out."""
    was, now = (dict(_leaves({k: v for k, v in one.items() if k not in NAMES})) for one in (before, after))
    paths = [path for path in {**was, **now} if was.get(path) != now.get(path)]
    return [f"{path}: {_said(was.get(path))} → {_said(now.get(path))}" for path in paths]


def _leaves(document: object, path: str = "") -> Iterator[tuple[str, object]]:
    """Lists that hold no documents are one leaf; what is empty or None is none."""
    inside: Iterator[tuple[object, object]] | None = None
    if isinstance(document, Mapping):
        inside = iter(document.items())
    elif isinstance(document, list) and any(isinstance(one, Mapping) for one in document):
        inside = iter(enumerate(document))
    if inside is not None:
        for name, part in inside:
            yield from _leaves(part, f"{path}.{name}" if path else str(name))
    elif document not in (None, "", [], {}):
        yield path, document


def _said(value: object) -> str:
    if value is None:
        return "not there"
    text = ", ".join(map(str, value)) if isinstance(value, list) else str(value)
    text = " ".join(text.split())
    return text if len(text) <= MOST_CHARACTERS else f"{text[: MOST_CHARACTERS - 1]}…"
