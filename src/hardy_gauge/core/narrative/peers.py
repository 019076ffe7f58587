"""Servers beside each other, in words: who is unlike, whose versions differ, who sees fewer members, who does more."""

from __future__ import annotations

from collections.abc import Mapping

from hardy_gauge.core.figures.catalogue import FIGURES
from hardy_gauge.core.figures.formatting import share
from hardy_gauge.core.narrative.comparison import times
from hardy_gauge.core.reference.peers import Distance


def distance_words(one: Distance) -> str:
    """ "3.1× its peers' calls"."""
    ratio = f"{one.times:.2g}×" if one.times >= 1 else f"{share(one.times)} of"
    return f"{ratio} its peers' {FIGURES[one.figure].title.lower()}"


def peers_words(one: Distance | None) -> str:
    """How far a server is from its peers, where there are enough of them to say."""
    if one is None:
        return "Of two servers neither is the odd one"
    return f"{distance_words(one)}; {abs(one.distance):.1f} robust deviations from their median"


def uneven_words(server: str, part: float, count: int, role: str) -> str:
    """A member that does more than its part of a cluster's calls; ``part`` is a share of 1."""
    return f"uneven: {server} does {share(part)} of the calls of {count} {role}s"


def slowest_words(server: str, ratio: float, role: str) -> str:
    """A worker for which a coordinator has to wait."""
    return f"{server} is the slowest {role}: {times(ratio)} the time per call of the others, and whoever asks all of them waits for it"


def version_words(by_version: Mapping[str, list[str]]) -> list[str]:
    """Which servers run another version than most; nothing where all are alike."""
    if len(by_version) < 2:
        return []
    most = max(by_version, key=lambda version: len(by_version[version]))
    others = [
        f"{', '.join(names)} {'runs' if len(names) == 1 else 'run'} {v}" for v, names in by_version.items() if v != most
    ]
    return [f"versions differ: {'; '.join(others)}, the rest {most}"]


def agreement_words(seen: Mapping[str, int]) -> tuple[list[str], list[str]]:
    """Whether all that report how many members they see agree: what is odd, and what is well."""
    if len(seen) < 2:
        return [], []
    most = max(seen.values())
    fewer = [f"{name} sees {count}" for name, count in seen.items() if count < most]
    if not fewer:
        return [], [f"all see {most} members"]
    return [f"members disagree: {', '.join(fewer)}, the others {most}"], []
