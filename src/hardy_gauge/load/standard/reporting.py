"""Rows of the reporting set. At scale 1 it has a million loans. Titles and patrons are asked for as in libraries: few of them often, most
of them seldom.
"""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np
import polars as pl

from hardy_gauge.load.standard.drawing import BRANCHES, DAYS, Table, branches, chunks, days, seldom, sized

SUBJECTS = 60
LOANS, TITLES, PATRONS, HOLDS = 1_000_000, 60_000, 80_000, 150_000  # at scale 1
KINDS = ("adult", "child", "student", "staff")


def rows(scale: float, seed: int) -> Iterator[Table]:
    """Every table with its rows, in the order of its columns; large ones in parts."""
    draw = np.random.default_rng([seed, round(scale * 1e6)])
    loans, titles, patrons, holds = (sized(scale, most) for most in (LOANS, TITLES, PATRONS, HOLDS))
    yield days()
    yield branches()
    for ids, _, _ in chunks(titles):
        yield "title", pl.DataFrame(
            {
                "id": ids, "name": pl.Series([f"Title {i * 7919 % 1_000_003}" for i in ids]), "subject": seldom(draw, len(ids), SUBJECTS, 2),
                "year": 2025 - seldom(draw, len(ids), 90, 3), "pages": draw.integers(40, 900, len(ids)),
            }
        )  # fmt: skip
    for ids, _, _ in chunks(patrons):
        yield "patron", pl.DataFrame(
            {
                "id": ids, "branch_id": seldom(draw, len(ids), BRANCHES, 1.5), "born": draw.integers(1935, 2019, len(ids)),
                "joined_day": draw.integers(0, DAYS, len(ids)), "kind": pl.Series([KINDS[i] for i in seldom(draw, len(ids), len(KINDS), 2) - 1]),
            }
        )  # fmt: skip
    for ids, first, last in chunks(loans):
        kept = draw.gamma(2.0, 9.0, len(ids)).astype(int) + 1
        yield "loan", pl.DataFrame(
            {
                "id": ids, "day_id": np.sort(draw.integers(first, last, len(ids))), "branch_id": seldom(draw, len(ids), BRANCHES, 1.5),
                "title_id": seldom(draw, len(ids), titles, 3), "patron_id": seldom(draw, len(ids), patrons, 2), "kept_days": kept,
                "renewals": draw.poisson(0.4, len(ids)), "fine_cents": np.maximum(0, kept - 28) * 20,
            }
        )  # fmt: skip
    for ids, first, last in chunks(holds):
        yield "hold", pl.DataFrame(
            {
                "id": ids, "day_id": np.sort(draw.integers(first, last, len(ids))), "branch_id": seldom(draw, len(ids), BRANCHES, 1.5),
                "title_id": seldom(draw, len(ids), titles, 4), "patron_id": seldom(draw, len(ids), patrons, 2),
                "waited_days": draw.geometric(0.08, len(ids)), "fetched": (draw.random(len(ids)) < 0.85) * 1,
            }
        )  # fmt: skip
