"""Who waits for whom: from looks at sessions to the sessions at the root of each tree of waiting, and what they cost others."""

from __future__ import annotations

from dataclasses import dataclass

import polars as pl

DEEPEST = 20
# from what age on a transaction is worth asking whose it is
OLD_TRANSACTION_US = 60_000_000
WORKING, IDLE, UNSEEN = "working", "idle in a transaction", "not seen"
WHO = ("statement", "user", "service")


@dataclass(frozen=True)
class Root:
    """Sessions of one kind at the root of waiting. ``waited_s`` are the seconds that others waited for them; a session that waits
    for several shares its time among them. ``most`` waited at once, at most ``depth`` sessions one behind the other;
    ``kinds`` of statements waited at once; ``statement`` is what it works on, or its last one. ``idle_s`` and ``transaction_s`` are the longest seen, of idle ones.
    """

    doing: str
    statement: int | None
    user: str
    service: str
    waited_s: float
    most: int
    depth: int
    last_us: int
    session: int
    idle_s: float | None
    transaction_s: float | None
    kinds: int = 1


def roots_of(samples: pl.DataFrame, holders: pl.DataFrame) -> list[Root]:
    """The roots of all trees of waiting, the one that cost most first.

    ``samples``: ``at_us``, ``session``, ``blockers`` (a list, null where it waits for none), ``statement``, ``user``, ``service``,
    and ``weight`` in seconds where it is not one. ``holders`` likewise, with ``transaction_began_us`` and ``idle_since_us``.
    A circle of waiting (a deadlock that is not broken yet) has no root and is left out.
    """
    waits = waiting_looks(samples)
    if waits is None or waits[1].is_empty():
        return []
    shared = waits[1]
    runs = samples.select("at_us", "session", pl.col("statement").alias("runs")).unique(["at_us", "session"])
    by_look = (
        shared.join(runs, on=["at_us", "session"], how="left")
        .group_by("at_us", "root")
        .agg(
            pl.col("waited_s").sum(),
            pl.len().alias("most"),
            pl.col("depth").max(),
            pl.col("runs").n_unique().cast(pl.Int64).alias("kinds"),
        )
    )
    named = with_names(by_look, samples, holders)
    rows = (
        named.group_by("doing", *WHO)
        .agg(
            pl.col("waited_s").sum(), pl.col("most").max(), pl.col("depth").max(), pl.col("at_us").max().alias("last_us"),
            pl.col("root").sort_by("at_us").last().alias("session"), pl.col("idle_s").max(), pl.col("transaction_s").max(),
            pl.col("kinds").max(),
        )
        .sort("waited_s", "session", descending=[True, False])
    )  # fmt: skip
    return [
        Root(
            row["doing"], row["statement"], row["user"] or "", row["service"] or "", row["waited_s"], row["most"], row["depth"],
            row["last_us"], row["session"], row["idle_s"], row["transaction_s"], row["kinds"],
        )
        for row in rows.iter_rows(named=True)
    ]  # fmt: skip


def waiting_looks(samples: pl.DataFrame) -> tuple[pl.DataFrame, pl.DataFrame] | None:
    """Who waits for whom at each look (``at_us``, ``session``, ``blocker``), and for which roots in the end (``at_us``, ``session``, ``root``,
    ``depth``, ``waited_s``: a session that waits for several shares its time among them); None where nobody waits.
    """
    if samples.is_empty() or "blockers" not in samples.columns:
        return None
    waiting = samples.filter(pl.col("blockers").list.len() > 0)
    if waiting.is_empty():
        return None
    if "weight" not in waiting.columns:
        waiting = waiting.with_columns(pl.lit(1.0).alias("weight"))
    edges = waiting.select("at_us", "session", pl.col("blockers").alias("blocker")).explode("blocker").unique()
    weights = waiting.select("at_us", "session", "weight").unique(["at_us", "session"])
    looks = followed(edges).join(weights, on=["at_us", "session"])
    return edges, looks.with_columns((pl.col("weight") / pl.len().over("at_us", "session")).alias("waited_s"))


def followed(edges: pl.DataFrame) -> pl.DataFrame:
    """For each waiting session the roots that it waits for in the end: ``at_us``, ``session``, ``root``, ``depth``."""
    steps = edges.rename({"session": "waits", "blocker": "next"})
    now = edges.select("at_us", "session", pl.col("blocker").alias("root"), pl.lit(1, dtype=pl.Int32).alias("depth"))
    done = []
    for _ in range(DEEPEST):
        joined = now.join(steps, left_on=["at_us", "root"], right_on=["at_us", "waits"], how="left")
        done.append(joined.filter(pl.col("next").is_null()).drop("next"))
        further = joined.filter(pl.col("next").is_not_null())
        if further.is_empty():
            break
        now = further.with_columns(pl.col("next").alias("root"), pl.col("depth") + 1).drop("next")
        now = now.group_by("at_us", "session", "root").agg(pl.col("depth").max())
    return pl.concat(done).group_by("at_us", "session", "root").agg(pl.col("depth").max())


def with_names(by_look: pl.DataFrame, samples: pl.DataFrame, holders: pl.DataFrame) -> pl.DataFrame:
    """With what each root was doing, and who it is."""
    working = samples.select("at_us", pl.col("session").alias("root"), *WHO, pl.lit(WORKING).alias("doing"))
    known = [working.with_columns(*(pl.lit(None, dtype=pl.Float64).alias(c) for c in ("idle_s", "transaction_s")))]
    if not holders.is_empty():
        idle = holders.select(
            "at_us", pl.col("session").alias("root"), *WHO, pl.lit(IDLE).alias("doing"),
            ((pl.col("at_us") - pl.col("idle_since_us")) / 1e6).alias("idle_s"),
            ((pl.col("at_us") - pl.col("transaction_began_us")) / 1e6).alias("transaction_s"),
        )  # fmt: skip
        known.append(idle)
    sessions = pl.concat(known, how="vertical_relaxed").unique(["at_us", "root"], keep="last")
    return by_look.join(sessions, on=["at_us", "root"], how="left").with_columns(pl.col("doing").fill_null(UNSEEN))
