"""``make scores``: play the drawn scenarios and write docs/diagnosis-scores.md. ``ROUNDS`` cases of each cause, ``PAIRS`` of two causes at once, ``QUIET`` looks at
servers without trouble, from ``SEED``; the nightly size is ROUNDS=8 PAIRS=60 QUIET=100.
"""

from __future__ import annotations

import multiprocessing
import os
from concurrent.futures import ProcessPoolExecutor
from pathlib import Path

from tests.truth.generator.cases import CAUSES
from tests.truth.generator.drawing import case_of, pair_case, quiet_case
from tests.truth.generator.scoring import Outcome, outcome_of, sheet_of

from hardy_gauge.errors import ProbeError

SHEET = Path(__file__).parents[1] / "docs" / "diagnosis-scores.md"


def played(task: tuple[int, int | str]) -> Outcome | None:
    """One case: its seed, and the number of its cause, "pair" or "quiet"; None where no world shows it, or where it cannot be played,
    which is said.
    """
    seed, kind = task
    drawn = {"quiet": quiet_case, "pair": pair_case}
    case = drawn[kind](seed) if isinstance(kind, str) else case_of(seed, CAUSES[kind])
    try:
        return None if case is None else outcome_of(case)
    except ProbeError as error:
        print(f"{seed} {kind if isinstance(kind, str) else CAUSES[kind].name} is not played: {error}")
        return None


SIZES = {"SEED": "11", "ROUNDS": "1", "PAIRS": "8", "QUIET": "20"}


def main() -> None:
    sizes = {name: int(os.environ.get(name, first)) for name, first in SIZES.items()}
    seed = sizes["SEED"]
    tasks: list[tuple[int, int | str]] = [
        (seed + turn, number) for turn in range(sizes["ROUNDS"]) for number in range(len(CAUSES))
    ]
    more = {
        kind: [(seed * 100 + n, kind) for n in range(sizes[name])]
        for kind, name in (("pair", "PAIRS"), ("quiet", "QUIET"))
    }
    workers = int(os.environ.get("WORKERS", "2"))
    with ProcessPoolExecutor(workers, mp_context=multiprocessing.get_context("spawn")) as pool:
        found, pairs, silent = (
            [one for one in pool.map(played, each) if one is not None] for each in (tasks, more["pair"], more["quiet"])
        )
    command = " ".join(f"{name}={size}" for name, size in sizes.items())
    SHEET.write_text(sheet_of(found, pairs, silent, f"{command} make scores"), encoding="utf-8")
    for one in [*found, *pairs]:
        if one.place != 0 or not one.right_subject:
            print(one.case.seed, one.case.label, one.place, one.second_place, one.right_subject, one.causes[:3])
    print(f"{len(found)} cases, {sum(one.place == 0 for one in found)} named first; {SHEET}")


if __name__ == "__main__":
    main()
