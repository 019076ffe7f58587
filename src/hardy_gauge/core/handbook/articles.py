"""Articles of the handbook, read from the files beside this one. A new article is an entry in one of them."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from functools import cache
from importlib import resources
from typing import Any, Literal

from hardy_gauge.core.checks.check import Check
from hardy_gauge.core.checks.registry import EVERY
from hardy_gauge.yaml_text import read_yaml

Group = Literal["cause", "setting", "figure", "wait family", "check"]
FILES: dict[str, Group] = {
    "causes_of_statements": "cause", "causes_of_waiting": "cause", "causes_of_resources": "cause", "causes_of_upkeep": "cause",
    "settings": "setting", "figures": "figure", "families": "wait family",
}  # fmt: skip
HEADINGS: dict[str, str] = {
    "watched": "What is watched", "arises": "How it comes about", "apart": "How to tell it from its neighbours",
    "resolve": "What to do", "harm": "What can go wrong", "trial": "How to try it", "sources": "Sources",
}  # fmt: skip


@dataclass(frozen=True)
class Section:
    heading: str
    text: str


@dataclass(frozen=True)
class Article:
    """``key`` is the name of the cause, setting, figure or wait family that it is about."""

    key: str
    group: Group
    title: str
    sections: list[Section]

    @property
    def opening(self) -> str:
        """Its first sentences."""
        return self.sections[0].text


@cache
def articles() -> dict[tuple[str, str], Article]:
    """Every article by group and key, in the order of the files."""
    found: dict[tuple[str, str], Article] = {}
    for name, group in FILES.items():
        source = resources.files("hardy_gauge.core.handbook") / "articles" / f"{name}.yaml"
        for key, parts in read_yaml(source.read_text(encoding="utf-8")).items():
            sections = [Section(heading, parts[part]) for part, heading in HEADINGS.items()]
            found[group, key] = Article(key, group, parts["title"], sections)
    for check in EVERY:
        found["check", check.name] = Article(check.name, "check", check.title, list(_of_check(check)))
    return found


def _of_check(check: Check[Any]) -> Iterator[Section]:
    """A check says the same in its article as where it is found."""
    yield Section("Why it matters", check.why)
    yield Section("What to do", check.remedy)
    yield Section("Taking it to production", check.safe)
    yield Section(
        "How sure it is",
        f"A judgement, not a measurement: about {check.sure:.0%} of what it finds is taken to be wrong in the way it says.",
    )
    yield Section("Sources", "Common practice.")


def holding(words: list[str]) -> list[Article]:
    """Articles that hold every word in lower case, those with all of them in the title first."""

    def held(text: str) -> bool:
        return all(word in text.lower() for word in words)

    hits = [one for one in articles().values() if held(" ".join([one.key, one.title, *(s.text for s in one.sections)]))]
    return sorted(hits, key=lambda one: not held(f"{one.key} {one.title}"))
