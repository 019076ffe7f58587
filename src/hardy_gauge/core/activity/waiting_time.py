"""The time that trees of waiting cost, step by step."""

from __future__ import annotations

from collections.abc import Sequence

import polars as pl

from hardy_gauge.core.activity.holdup_sheet import LostOverTime
from hardy_gauge.core.activity.waiting import IDLE, UNSEEN, WORKING
from hardy_gauge.core.activity.waiting_trees import WaitingTree, Waits
from hardy_gauge.core.time.span import SECOND_US, Span

STEPS, SHORTEST_STEP_US = 120, 10 * SECOND_US
ORDER = (IDLE, WORKING, UNSEEN)


def lost_over_time(found: Sequence[tuple[Waits, WaitingTree]], focus: Span) -> LostOverTime:
    """Sessions that waited in the trees, on average over each step, by what the root did at that moment."""
    step = max(SHORTEST_STEP_US, (focus.until_us - focus.since_us) // STEPS // SHORTEST_STEP_US * SHORTEST_STEP_US)
    since = focus.since_us // step * step
    grid = list(range(since, focus.until_us, step))
    series = {doing: [0.0] * len(grid) for doing in ORDER}
    by_server: dict[int, tuple[Waits, set[tuple[int, int]]]] = {}
    for waits, tree in found:
        by_server.setdefault(id(waits), (waits, set()))[1].add((tree.root, tree.from_us))
    for waits, kept in by_server.values():
        begins = pl.col("at_us").min().over("root", "number").alias("from_us")
        rows = waits.roots.with_columns(begins).with_columns(((pl.col("at_us") - since) // step).alias("place"))
        summed = rows.group_by("root", "from_us", "place", "doing").agg(pl.col("waited_s").sum())
        for root, from_us, place, doing, seconds in summed.iter_rows():
            if (root, from_us) in kept and 0 <= place < len(grid):
                series[doing][place] += seconds / (step / SECOND_US)
    return LostOverTime(grid, step, {doing: values for doing, values in series.items() if any(values)})
