"""Whether the runs of a trial were what was stated: the data afterwards agrees with itself, and the mix keeps its least shares."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from hardy_gauge.core.narrative.soundness import broken_words, check_words, mix_words, share_words, unknown_words

Z = 2.576  # 99%: a share is called too low only where its interval says so


@dataclass(frozen=True)
class Checked:
    """A check of the data after a run: whether it ``held``, None where it could not be asked, and what was ``found`` otherwise."""

    name: str
    held: bool | None
    found: str = ""


@dataclass(frozen=True)
class CheckResult:
    """A check over all runs: after how many it was asked, and held."""

    name: str
    asked: int
    held: int
    found: str
    words: str


@dataclass(frozen=True)
class MixShare:
    """The share of a statement or transaction among the executions of all runs, and the least that was stated."""

    name: str
    share: float
    least: float
    kept: bool
    words: str


@dataclass(frozen=True)
class Soundness:
    """Checks and shares of a trial, and what is wrong with them in words."""

    checks: list[CheckResult]
    mix: list[MixShare]
    cautions: list[str]


def soundness(
    runs: Sequence[tuple[str, Sequence[Checked], Sequence[int]]], mix: Sequence[tuple[str, float]]
) -> Soundness:
    """Of runs with the name of their arm, their checks and the executions of each statement; ``mix`` has names and least shares.

    Shares are told where a least one was stated. One is too low where the upper bound of its interval (Wilson 1927, 99%) is below.
    """
    cautions = [
        broken_words(check.name, arm, number, check.found) if check.held is False else unknown_words(check.name, number, check.found)
        for number, (arm, checks, _) in enumerate(runs, 1)
        for check in checks
        if not check.held
    ]  # fmt: skip
    by_name: dict[str, list[Checked]] = {}
    for _, checks, _ in runs:
        for one in checks:
            by_name.setdefault(one.name, []).append(one)
    results = [_result(name, found) for name, found in by_name.items()]
    shares = list[MixShare]()
    counts = [ended for _, _, ended in runs if ended]
    if any(least for _, least in mix) and counts:
        total = np.sum(counts, axis=0)
        for (name, least), count in zip(mix, total.tolist(), strict=True):
            share = count / max(int(total.sum()), 1)
            kept = upper_bound(int(count), int(total.sum())) >= least
            shares.append(MixShare(name, share, least, kept, share_words(name, share, least)))
    cautions += [mix_words(one.name, one.share, one.least) for one in shares if not one.kept]
    return Soundness(results, shares, cautions)


def _result(name: str, found: Sequence[Checked]) -> CheckResult:
    asked, held = sum(one.held is not None for one in found), sum(bool(one.held) for one in found)
    other = next((one.found for one in found if not one.held), "")
    return CheckResult(name, asked, held, other, check_words(name, asked, held, other))


def upper_bound(count: int, total: int, z: float = Z) -> float:
    """Of the share of ``count`` in ``total`` (Wilson 1927); 1 where nothing was counted."""
    if not total:
        return 1.0
    return wilson_interval(count, total, z)[1]


def wilson_interval(count: int, total: int, z: float = 1.96) -> tuple[float, float]:
    """Of the share of ``count`` in ``total`` above zero (Wilson 1927)."""
    share, of = count / total, z * z / total
    half = z * np.sqrt(share * (1 - share) / total + of / (4 * total))
    return float((share + of / 2 - half) / (1 + of)), float((share + of / 2 + half) / (1 + of))
