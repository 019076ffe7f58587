"""Rows of the desk set: copies, their loans, and accounts of patrons that agree with one another. At scale 1 it has a million loans."""

from __future__ import annotations

from collections.abc import Iterator, Mapping

import numpy as np
import polars as pl

from hardy_gauge.load.standard.drawing import BRANCHES, DAYS, Table, chunks, seldom, sized

LOANS, TITLES, COPIES, PATRONS, ENTRIES = 1_000_000, 60_000, 200_000, 80_000, 100_000  # at scale 1
OUT = 0.15  # of the copies are lent at first
LATELY = 30  # days, in which these were lent


def counts(scale: float) -> Mapping[str, int]:
    """How many there are of what transactions draw."""
    there = {"title": TITLES, "copy": COPIES, "patron": PATRONS}
    return {name: sized(scale, most) for name, most in there.items()} | {"branch": BRANCHES, "day": DAYS}


def rows(scale: float, seed: int) -> Iterator[Table]:
    """Every table with its rows, in the order of its columns; large ones in parts."""
    draw = np.random.default_rng([seed, round(scale * 1e6), 2])
    many = counts(scale)
    copies, patrons = many["copy"], many["patron"]
    entries, loans = sized(scale, ENTRIES), sized(scale, LOANS)
    by, at = seldom(draw, entries, patrons, 2), seldom(draw, entries, BRANCHES, 1.5)
    paid = draw.random(entries) < 0.4
    cents = np.where(paid, -1, 1) * 20 * draw.integers(1, 30, entries)
    till = -np.bincount(at[paid], cents[paid], BRANCHES + 1)[1:].astype(np.int64)
    owes = np.bincount(by, cents, patrons + 1)[1:].astype(np.int64)
    ids = np.arange(1, BRANCHES + 1)
    yield "branch", pl.DataFrame({"id": ids, "name": [f"Branch {i}" for i in ids], "till_cents": till})
    for ids, _, _ in chunks(many["title"]):
        yield "title", pl.DataFrame({"id": ids, "name": [f"Title {i * 7919 % 1_000_003}" for i in ids.tolist()]})
    for ids, _, _ in chunks(patrons):
        yield "patron", pl.DataFrame(
            {
                "id": ids, "branch_id": seldom(draw, len(ids), BRANCHES, 1.5), "name": [f"Patron {i}" for i in ids.tolist()],
                "owes_cents": owes[ids - 1],
            }
        )  # fmt: skip
    out = draw.random(copies) < OUT
    holder = np.where(out, seldom(draw, copies, patrons, 2), 0)
    for ids, _, _ in chunks(copies):
        yield "copy", pl.DataFrame(
            {
                "id": ids, "title_id": seldom(draw, len(ids), many["title"], 2), "branch_id": seldom(draw, len(ids), BRANCHES, 1.5),
                "lent": out[ids - 1] * 1,
            }
        )  # fmt: skip
    lent = np.flatnonzero(out) + 1
    past = max(loans - len(lent), 0)
    for ids, first, last in chunks(past):
        lately = min(last, DAYS - LATELY)
        yield "loan", _loans(
            ids, seldom(draw, len(ids), copies, 2), seldom(draw, len(ids), patrons, 2), np.sort(draw.integers(min(first, lately - 1), lately, len(ids))), 1
        )  # fmt: skip
    for ids, _, _ in chunks(len(lent)):
        mine = lent[ids - 1]
        yield "loan", _loans(past + ids, mine, holder[mine - 1], draw.integers(DAYS - LATELY, DAYS, len(ids)), 0)
    entry_days = np.sort(draw.integers(0, DAYS, entries))
    for ids, _, _ in chunks(entries):
        at_ids = ids - 1
        yield "entry", pl.DataFrame(
            {"id": ids, "patron_id": by[at_ids], "branch_id": at[at_ids], "day_id": entry_days[at_ids], "cents": cents[at_ids]}
        )  # fmt: skip


def _loans(
    ids: np.ndarray, copies: np.ndarray, patrons: np.ndarray, day_ids: np.ndarray, returned: int
) -> pl.DataFrame:
    columns = {"id": ids, "copy_id": copies, "patron_id": patrons, "day_id": day_ids}
    return pl.DataFrame(columns).with_columns(returned=pl.lit(returned, pl.Int64))
