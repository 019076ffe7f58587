"""``make scores``: play the drawn scenarios and write docs/diagnosis-scores.md. ``ROUNDS`` cases of each cause, ``QUIET`` looks at
servers without trouble, from ``SEED``; the nightly size is ROUNDS=8.
"""

from __future__ import annotations

import multiprocessing
import os
from concurrent.futures import ProcessPoolExecutor
from pathlib import Path

from tests.truth.generator.cases import CAUSES
from tests.truth.generator.drawing import case_of, quiet_case
from tests.truth.generator.scoring import Outcome, outcome_of, sheet_of

SHEET = Path(__file__).parents[1] / "docs" / "diagnosis-scores.md"


def played(task: tuple[int, int | None]) -> Outcome | None:
    """One case: its seed, and the number of its cause (None: nothing is wrong)."""
    seed, number = task
    case = quiet_case(seed) if number is None else case_of(seed, CAUSES[number])
    return None if case is None else outcome_of(case)


def main() -> None:
    seed, rounds, looks = (
        int(os.environ.get(name, first)) for name, first in (("SEED", "11"), ("ROUNDS", "1"), ("QUIET", "20"))
    )
    tasks = [(seed + turn, number) for turn in range(rounds) for number in range(len(CAUSES))]
    quiet = [(seed * 100 + look, None) for look in range(looks)]
    workers = int(os.environ.get("WORKERS", "2"))
    with ProcessPoolExecutor(workers, mp_context=multiprocessing.get_context("spawn")) as pool:
        found = [one for one in pool.map(played, tasks) if one is not None]
        silent = [one for one in pool.map(played, quiet) if one is not None]
    SHEET.write_text(
        sheet_of(found, silent, f"SEED={seed} ROUNDS={rounds} QUIET={looks} make scores"), encoding="utf-8"
    )
    for one in found:
        if one.place != 0 or not one.right_subject:
            print(one.case.seed, one.case.label, one.place, one.right_subject, one.causes[:3])
    print(f"{len(found)} cases, {sum(one.place == 0 for one in found)} named first; {SHEET}")


if __name__ == "__main__":
    main()
