"""``make calibration``: how well the product's expectations hold. Draws troubles, tries the advice given for them, and writes
docs/advice-calibration.md. ``ROUNDS`` cases of each cause whose advice says what it would win back, from ``SEED``.
"""

from __future__ import annotations

import multiprocessing
import os
from collections.abc import Iterator, Sequence
from concurrent.futures import ProcessPoolExecutor
from pathlib import Path

from tests.truth.generator.cases import CAUSES
from tests.truth.generator.drawing import case_of
from tests.truth.generator.scoring import Outcome, outcome_of

from hardy_gauge.errors import ProbeError

SHEET = Path(__file__).parents[1] / "docs" / "advice-calibration.md"
# of whose usual time, plan or figures something is known, so that their advice says what it would win back
STATING = (
    "missing_index", "plan_flip", "stale_statistics", "value_sensitive_plan", "plan_regressed_after_upgrade", "over_fetch", "wide_select",
    "hot_row", "idle_transaction", "lock_chain", "sort_spills", "write_amplification", "many_small_calls", "bloat",
    "cache_too_small", "cache_too_large", "memory_overcommitted", "setting_harmed",
)  # fmt: skip


def tried(task: tuple[int, int]) -> Outcome | None:
    """One case: its seed, and the number of its cause; None where no world shows it, or where it cannot be played, which is said."""
    seed, number = task
    case = case_of(seed, CAUSES[number])
    try:
        return None if case is None else outcome_of(case, effects=True)
    except ProbeError as error:
        print(f"{seed} {CAUSES[number].name}: {error}")
        return None


def sheet_of(known: Sequence[Outcome], command: str) -> Iterator[str]:
    effects = [one.effect for one in known if one.effect is not None]
    held = sum(one.holds for one in effects)
    yield f"""# How well expectations hold

Made by `{command}`. Of each trouble drawn, the advice that was given is tried on the practice server that has it: an index or a
setting by a trial, two runs an arm with the same arrivals; what a practice server cannot be told (a text, statistics, a plan) by the
same time without the trouble. Practice fleet and advice have cost constants of different origin: the advice's are those of a real
engine (`tests/truth/test_index_advice.py`), the fleet's from the literature or common practice (`src/practice_fleet/planner`).

**{held} of {len(effects)} measured effects lie in the range that was stated ({held / max(len(effects), 1):.0%}; aim 90%).**

| cause | measured by | pairs | in the range | median of measured ÷ said |
|---|---|---|---|---|"""
    for cause, by in sorted({(one.case.label, one.effect.by) for one in known if one.effect is not None}):
        mine = [e for one in known if (e := one.effect) is not None and (one.case.label, e.by) == (cause, by)]
        ratios = sorted(e.measured / e.said for e in mine if e.said > 0)
        middle = f"{ratios[len(ratios) // 2]:.2f}" if ratios else ""
        yield f"| {cause} | {by} | {len(mine)} | {sum(e.holds for e in mine)} | {middle} |"
    yield "\n## Every pair\n\n| seed | cause | by | said | range | measured | in it |\n|---|---|---|---|---|---|---|"
    for one in known:
        if (e := one.effect) is not None:
            inside = "yes" if e.holds else "no"
            yield f"| {one.case.seed} | {one.case.label} | {e.by} | {e.said:.3g} | {e.low:.3g} to {e.high:.3g} | {e.measured:.3g} | {inside} |"


def main() -> None:
    seed, rounds = (int(os.environ.get(name, first)) for name, first in (("SEED", "31"), ("ROUNDS", "4")))
    chosen = [number for number, cause in enumerate(CAUSES) if cause.name in STATING]
    tasks = [(seed + turn, number) for turn in range(rounds) for number in chosen]
    workers = int(os.environ.get("WORKERS", "2"))
    with ProcessPoolExecutor(workers, mp_context=multiprocessing.get_context("spawn")) as pool:
        known = [one for one in pool.map(tried, tasks) if one is not None]
    lines = list(sheet_of(known, f"SEED={seed} ROUNDS={rounds} make calibration"))
    SHEET.write_text("\n".join(lines) + "\n", encoding="utf-8")
    print("\n".join(lines))


if __name__ == "__main__":
    main()
