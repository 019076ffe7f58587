"""One limit lifted after the other under load: what each brought, and what limits then."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from hardy_gauge.core.trials.compare import Ratio, paired_ratio
from hardy_gauge.core.trials.verdict import outcome


@dataclass(frozen=True)
class Stage:
    """``to_before`` is its figure ÷ that of the stage before it, None of the first; ``said`` what that shows. ``limit`` is the wait
    family with most of the active sessions, ``limit_share`` its part; None where nothing was seen of waits.
    """

    name: str
    mean: float
    to_before: Ratio | None
    said: str
    limit: str | None
    limit_share: float
    families: Mapping[str, float]


def stages_of(
    names: Sequence[str], figures: Sequence[Sequence[float]], families: Sequence[Mapping[str, float]], metric: str
) -> list[Stage]:
    """``figures`` by stage, one for each block; ``families`` active sessions by wait family of each stage. A stage is compared with the
    one before it in the same block, so that what lasts from block to block falls out.
    """
    found = []
    for number, (name, mine, waits) in enumerate(zip(names, figures, families, strict=True)):
        ratio = paired_ratio(figures[number - 1], mine) if number else None
        whole = sum(waits.values())
        limit = max(waits, key=lambda one: waits[one]) if whole else None
        found.append(
            Stage(
                name, sum(mine) / len(mine), ratio, outcome(metric, ratio) if ratio is not None else "",
                limit, waits[limit] / whole if limit is not None else 0.0, dict(waits),
            )
        )  # fmt: skip
    return found
