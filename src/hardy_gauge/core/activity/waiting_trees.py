"""Trees of waiting over time: stretches in which others waited for one session without a pause, and who stood where, as lanes.

A tree is of one server. Sessions that wait in a circle (a deadlock that is not broken yet) have no root; ``circles_of`` finds them.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from graphlib import CycleError, TopologicalSorter

import polars as pl

from hardy_gauge.core.activity.waiting import IDLE, UNSEEN, WORKING, waiting_looks, with_names

# without anybody waiting for the session for so long, and for so many looks, it is another tree
QUIET_US, QUIET_LOOKS = 5_000_000, 3
LOOK_US = 1_000_000
MOST_LANES = 40
WRITTEN_US = 120_000_000  # looks are stored each minute, so that what was seen in the last two may go on
COLUMNS = ("session", "blockers", "statement", "user", "service", "wait_event", "object")


@dataclass(frozen=True)
class WaitingTree:
    """One session for which others waited. ``waited_s`` is what they waited in all; a session that waits for several roots shares its
    time among them. ``most`` waited at once, up to ``depth`` one behind the other. ``doing`` and ``statement`` (what the root works on, or its
    last one) are of the look at which it cost most; ``idle_s`` and ``transaction_s`` the longest that was seen of an idle one. ``lost_on`` is the time of those who waited by
    (statement, wait event), the most first; ``users`` and ``services`` are those of all its sessions; ``object`` is what they waited for most
    by the engine's own word, empty where it says nothing.
    """

    root: int
    from_us: int
    until_us: int
    doing: str
    statement: int | None
    user: str
    service: str
    waited_s: float
    most: int
    depth: int
    idle_s: float | None
    transaction_s: float | None
    waiters: int
    lost_on: Sequence[tuple[int | None, str, float]]
    users: frozenset[str]
    services: frozenset[str]
    object: str = ""


@dataclass(frozen=True)
class Stretch:
    """What a session did for a while: ``doing`` is the wait event of one that waits, or what a root does."""

    from_us: int
    until_us: int
    doing: str
    statement: int | None
    blockers: Sequence[int]


@dataclass(frozen=True)
class Lane:
    """One session of a tree; ``depth`` 0 is the root, 1 those who wait for it, and so on. ``waited_s`` is its own time of waiting."""

    session: int
    depth: int
    user: str
    service: str
    waited_s: float
    stretches: Sequence[Stretch]


@dataclass(frozen=True)
class Waits:
    """Of one server: ``looks`` has ``at_us``, ``session``, ``root``, ``number`` (of the tree of that root), ``depth``, ``waited_s``;
    ``roots`` sums them by look and root, with what the root did; ``edges`` is who waits for whom at each look; ``all_s`` all time waited
    for other sessions, in circles too; ``every_us`` by look the time until the next.
    """

    samples: pl.DataFrame
    holders: pl.DataFrame
    edges: pl.DataFrame
    looks: pl.DataFrame
    roots: pl.DataFrame
    all_s: float
    every_us: Mapping[int, int]


def waits_of(samples: pl.DataFrame, holders: pl.DataFrame) -> Waits | None:
    """``samples`` and ``holders`` of one server as ``waiting.roots_of`` takes them; None where nobody waited."""
    found = waiting_looks(samples)
    if found is None:
        return None
    edges, looks = found
    every_us = _periods(samples)
    looks = _numbered(looks.with_columns(pl.col("at_us").replace_strict(every_us, default=LOOK_US).alias("every_us")))
    summed = looks.group_by("at_us", "root", "number").agg(
        pl.col("waited_s").sum(), pl.len().alias("most"), pl.col("depth").max()
    )
    waiting = samples.filter(pl.col("blockers").list.len() > 0).unique(["at_us", "session"])
    all_s = float(waiting["weight"].sum()) if "weight" in waiting.columns else float(len(waiting))
    return Waits(samples, holders, edges, looks, with_names(summed, samples, holders), all_s, every_us)


def _periods(samples: pl.DataFrame) -> dict[int, int]:
    """By look, the time until the next, where it is not a second: a sample stands for it, once for each session that is not followed."""
    if "weight" not in samples.columns:
        return {}
    one_in = pl.col("one_in").fill_null(1) if "one_in" in samples.columns else pl.lit(1)
    each = (pl.col("weight") / one_in * LOOK_US).cast(pl.Int64).alias("every_us")
    return dict(samples.select("at_us", each).group_by("at_us").agg(pl.col("every_us").max()).iter_rows())


def trees_of(waits: Waits) -> list[WaitingTree]:
    """The trees of one server, the one that cost most first."""
    if waits.looks.is_empty():
        return []
    looks = waits.looks
    kept = ("at_us", "session", "statement", "wait_event", "user", "service", "object")
    runs = waits.samples.select(c for c in kept if c in waits.samples.columns).unique(["at_us", "session"])
    seen = looks.join(runs, on=["at_us", "session"], how="left")
    rows = waits.roots.group_by("root", "number").agg(
        pl.col("at_us").min().alias("from_us"), pl.col("at_us").max().alias("last_us"),
        pl.col("waited_s").sum(), pl.col("most").max(), pl.col("depth").max(),
        *(pl.col(c).sort_by("waited_s", "at_us").last() for c in ("doing", "statement", "user", "service")),
        pl.col("idle_s").max(), pl.col("transaction_s").max(),
    )  # fmt: skip
    who = (pl.col(name).drop_nulls().unique().alias(f"{name}s") for name in ("user", "service"))
    rows = rows.join(
        seen.group_by("root", "number").agg(pl.col("session").n_unique().alias("waiters"), *who), on=["root", "number"]
    )
    lost = seen.group_by("root", "number", "statement", "wait_event").agg(pl.col("waited_s").sum()).sort(
        "waited_s", "statement", "wait_event", descending=[True, False, False]
    )  # fmt: skip
    on: dict[tuple[int, int], list[tuple[int | None, str, float]]] = {}
    for root, number, statement, event, seconds in lost.iter_rows():
        on.setdefault((root, number), []).append((statement, event or "", seconds))
    objects = _waited_for(seen)
    return [
        WaitingTree(
            row["root"], row["from_us"], row["last_us"] + waits.every_us.get(row["last_us"], LOOK_US), row["doing"], row["statement"], row["user"] or "", row["service"] or "",
            row["waited_s"], row["most"], row["depth"], row["idle_s"], row["transaction_s"], row["waiters"], on[row["root"], row["number"]],
            frozenset(row["users"]) | {row["user"] or ""}, frozenset(row["services"]) | {row["service"] or ""},
            objects.get((row["root"], row["number"]), ""),
        )
        for row in rows.sort("waited_s", "root", "number", descending=[True, False, False]).iter_rows(named=True)
    ]  # fmt: skip


def _waited_for(seen: pl.DataFrame) -> dict[tuple[int, int], str]:
    """By root and number of the tree: the object for which its sessions waited longest, where the engine names any."""
    if "object" not in seen.columns:
        return {}
    each = seen.drop_nulls("object").group_by("root", "number", "object").agg(pl.col("waited_s").sum())
    return {(root, number): name for root, number, name, _ in each.sort("waited_s", "object").iter_rows()}


def goes_on(tree: WaitingTree, now_us: int) -> bool:
    """Whether others waited for it so short a time ago that it may not be over."""
    return now_us - tree.until_us <= WRITTEN_US


def _numbered(looks: pl.DataFrame) -> pl.DataFrame:
    """With the ``number`` of the tree of its root that a look belongs to: another begins where nobody waited for a while."""
    times = looks.select("root", "at_us", "every_us").unique(["root", "at_us"]).sort("root", "at_us")
    quiet = pl.max_horizontal(pl.lit(QUIET_US), QUIET_LOOKS * pl.col("every_us").shift(1)).over("root")
    begins = ((pl.col("at_us") - pl.col("at_us").shift(1)).over("root") > quiet).fill_null(value=True)
    numbered = times.with_columns(begins.cast(pl.Int32).cum_sum().over("root").alias("number"))
    return looks.join(numbered.drop("every_us"), on=["root", "at_us"])


def lanes_of(waits: Waits, tree: WaitingTree) -> list[Lane]:
    """The root and those who waited for it, nearest first, those who waited longest first among them; at most forty."""
    inside = pl.col("at_us").is_between(tree.from_us, tree.until_us, closed="left")
    looks = waits.looks.filter(inside & (pl.col("root") == tree.root))
    if looks.is_empty():
        return []
    mine = looks.group_by("session").agg(
        pl.col("depth").max(), pl.col("waited_s").sum(), pl.col("at_us").min().alias("first_us")
    )
    mine = mine.sort("depth", "waited_s", "session", descending=[False, True, False]).head(MOST_LANES)
    shown = [tree.root, *mine["session"].to_list()]
    samples = waits.samples.filter(inside & pl.col("session").is_in(shown)).sort("at_us")
    idle = waits.holders.filter(inside & (pl.col("session") == tree.root)) if len(waits.holders) else waits.holders
    states: dict[int, list[tuple[int, str, int | None, list[int], str, str]]] = {}
    for row in samples.iter_rows(named=True):
        blockers = sorted(row["blockers"] or [])
        doing = (row["wait_event"] or "") if blockers else WORKING
        states.setdefault(row["session"], []).append(
            (row["at_us"], doing, row["statement"], blockers, row["user"] or "", row["service"] or "")
        )
    for row in idle.iter_rows(named=True) if len(idle) else ():
        states.setdefault(row["session"], []).append(
            (row["at_us"], IDLE, row["statement"], [], row["user"] or "", row["service"] or "")
        )
    places = {row["session"]: (row["depth"], row["waited_s"]) for row in mine.iter_rows(named=True)}
    lanes = []
    for session in shown:
        seen = sorted(states.get(session, []), key=lambda one: one[0])
        depth, waited = places.get(session, (0, 0.0)) if session != tree.root else (0, 0.0)
        if not seen:  # it was never seen itself: what is known of it is that others waited
            seen = [(at, UNSEEN, None, [], "", "") for at in sorted(set(looks["at_us"].to_list()))]
        lanes.append(Lane(session, depth, seen[-1][4], seen[-1][5], waited, _stretches(seen, waits.every_us)))
    return lanes


def _stretches(
    seen: Sequence[tuple[int, str, int | None, list[int], str, str]], every_us: Mapping[int, int]
) -> list[Stretch]:
    """Looks that follow each other with the same thing done are one stretch."""
    found: list[Stretch] = []
    for at, doing, statement, blockers, _, _ in seen:
        last, until = found[-1] if found else None, at + every_us.get(at, LOOK_US)
        if (
            last is not None
            and (last.doing, last.statement, list(last.blockers)) == (doing, statement, blockers)
            and at - last.until_us < QUIET_US
        ):
            found[-1] = replace(last, until_us=until)
        elif last is None or at >= last.from_us:
            found.append(Stretch(at, until, doing, statement, blockers))
    return found


def circles_of(edges: pl.DataFrame) -> list[tuple[int, list[int]]]:
    """One circle of waiting for each look that has one: when, and its sessions in order. ``edges``: ``at_us``, ``session``,
    ``blocker``.
    """
    found: list[tuple[int, list[int]]] = []
    before = len(edges) + 1
    while len(edges) < before:  # whoever is in a circle waits for somebody who waits himself, and is waited for
        before = len(edges)
        waiting = edges.select("at_us", pl.col("session").alias("blocker")).unique()
        edges = edges.join(waiting, on=["at_us", "blocker"], how="semi")
        blocking = edges.select("at_us", pl.col("blocker").alias("session")).unique()
        edges = edges.join(blocking, on=["at_us", "session"], how="semi")
    for (at,), look in edges.partition_by("at_us", as_dict=True, maintain_order=True).items():
        graph: dict[int, list[int]] = {}
        for session, blocker in look.select("session", "blocker").iter_rows():
            graph.setdefault(session, []).append(blocker)
        circle = circle_in(graph)
        if circle:
            found.append((int(at), circle))
    return sorted(found)


def circle_in(graph: Mapping[int, Sequence[int]]) -> list[int]:
    """The sessions of one circle of waiting, each waiting for the next; empty where there is none."""
    try:
        TopologicalSorter(graph).prepare()
    except CycleError as error:
        return list(reversed(error.args[1][1:]))
    return []
