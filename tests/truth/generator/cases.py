"""What is drawn of each cause in a world: where it happens, how large it is, and what a diagnosis must say of it.

One line a cause. A size is drawn from where an effect can be seen; a case whose cause costs time and changes next to nothing in its
world is drawn again.
"""

from __future__ import annotations

import random
from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

from tests.truth.generator.worlds import World, set_rates

UNDATED = frozenset({
    "idle_transaction", "lock_chain", "schema_change_queue", "deadlocks", "stale_statistics", "bloat", "storage_filling",
    "sequence_running_out", "clock_off", "transaction_age", "temporary_files_fill", "prepared_transaction_left", "replica_query_cancelled",
})  # fmt: skip
Draw = Callable[[random.Random, World], dict[str, Any]]
Subjects = Callable[[World], list[str]]


def _as_it_is(rng: random.Random, world: World) -> None:
    """Any world will do."""


def _more(statement: str, times: float) -> Callable[[random.Random, World], None]:
    """A statement is called so many times as often."""

    def prepare(rng: random.Random, world: World) -> None:
        _statements(world)[statement]["rate"] *= times

    return prepare


def _report(rng: random.Random, world: World) -> None:
    """Something is sorted and joined all the time."""
    back = _statements(world)["details"]["service"]
    _statements(world)["report"] = {
        "sql": f"SELECT e.grade, e.remark, d.amount FROM {world.event} e JOIN {world.detail} d ON d.{world.event}_id = e.id "
        "WHERE e.grade = $1 ORDER BY d.amount",
        "service": back, "user": f"{back}_app", "rate": rng.uniform(0.2, 0.8), "rhythm": "day",
    }  # fmt: skip


def _report_everywhere(rng: random.Random, world: World) -> None:
    _report(rng, world)
    _statements(world)["report"]["on"] = "all"


def _by_region(rng: random.Random, world: World) -> None:
    """One row of a region is asked for by its code."""
    statement = _statements(world)["by_code"]
    sql = f"SELECT id, title FROM {world.owner} WHERE region_id = $1 AND code = $2"
    _statements(world)["in_region"] = statement | {"sql": sql, "rate": statement["rate"] * rng.uniform(0.05, 0.2)}
    tables = world.document["databases"]["work"]["tables"]
    tables[world.owner]["indexes"].append({"name": f"{world.owner}_region", "columns": ["region_id"]})


def _of_processor(rng: random.Random, world: World) -> None:
    """All is cached and storage is fast, so that the processor decides."""
    host = world.document["clusters"][0]["host"]
    host["memory"] = 64 * 2**30
    world.document["clusters"][0]["settings"]["buffer_cache_bytes"] = 24 * 2**30
    for volume in ("data_volume", "log_volume"):
        host[volume]["latency_s"] = 0.00002
    set_rates(world, rng.uniform(0.4, 0.6))


def _pooled(rng: random.Random, world: World) -> None:
    world.document["clusters"][0]["pooler"] = {"sessions": rng.randrange(20, 40), "patience_s": 20}


def _bursting(rng: random.Random, world: World) -> None:
    """A volume that may be fast for a while."""
    limit = rng.randrange(800, 2000)
    world.document["clusters"][0]["host"]["data_volume"] |= {
        "operations_per_s_limit": limit, "burst_operations_per_s": 5 * limit, "burst_credit": limit * 3600,
    }  # fmt: skip


def _reading(rng: random.Random, world: World) -> None:
    """Little is cached, so that its storage is asked for much."""
    world.document["clusters"][0]["settings"]["buffer_cache_bytes"] = 64 * 2**20
    world.document["clusters"][0]["host"]["data_volume"]["channels"] = 2


def _statements(world: World) -> dict[str, Any]:
    found: dict[str, Any] = world.document["databases"]["work"]["statements"]
    return found


@dataclass(frozen=True)
class Cause:
    """``draw`` gives the trouble without its times; ``about`` what the subject's name or text must contain one of; ``named`` the
    names a diagnosis may give it; ``costs`` whether it takes time of its server.
    """

    name: str
    draw: Draw
    about: Subjects
    shapes: tuple[str, ...] = ("single", "replicas")
    on: str = "writer"
    named: tuple[str, ...] = ()
    costs: bool = True
    ages: tuple[float, float] = (15, 50)
    looked_at: int | None = None  # the number of the server that shows it, where that is another
    beside: bool = False  # whether its peers are recorded too
    shows: tuple[str, float] | None = None  # a level of the server that must have come so far
    prepare: Callable[[random.Random, World], None] = _as_it_is  # what its world needs to show it

    @property
    def onset(self) -> bool:
        """Whether its first moment shows: not where it comes and goes, grows slowly, or is not dated by what a server reports."""
        return self.name not in UNDATED

    @property
    def names(self) -> tuple[str, ...]:
        return self.named or (self.name,)


def _sql(world: World, statement: str) -> str:
    return str(_statements(world)[statement]["sql"])[:30]


def _on(*statements: str) -> Subjects:
    return lambda world: [
        _sql(world, one) for one in statements if one in world.document["databases"]["work"]["statements"]
    ]


def _server(world: World) -> list[str]:
    return list(world.servers)


def _volume(name: str) -> Subjects:
    return lambda world: [name]


def _new(rng: random.Random, world: World) -> dict[str, Any]:
    sql = rng.choice([
        f"SELECT id, grade FROM {world.event} WHERE grade = $1 LIMIT 500", f"SELECT count(*) FROM {world.detail} WHERE kind = $1",
        f"SELECT id, title FROM {world.owner} WHERE region_id = $1",
    ])  # fmt: skip
    return {
        "statement": {
            "sql": sql,
            "service": "audit",
            "user": "audit_app",
            "rate": rng.uniform(0.05, 1.0),
            "rhythm": "day",
        }
    }


CAUSES: tuple[Cause, ...] = (
    Cause("missing_index", lambda r, w: {"index": f"{w.event}_{w.owner}"}, lambda w: [w.event]),
    Cause("missing_index", lambda r, w: {"index": f"{w.detail}_{w.event}"}, lambda w: [w.detail]),
    Cause(
        "plan_flip",
        lambda r, w: {"table": w.event, "column": f"{w.owner}_id", "size": r.uniform(1e4, 1e6)},
        lambda w: [w.event],
    ),
    Cause("new_statement", _new, lambda w: ["grade = $1", "kind = $1", "region_id = $1"]),
    Cause(
        "many_small_calls",
        lambda r, w: {"statement": r.choice(["by_code", "details"]), "size": r.uniform(5, 25)},
        _on("by_code", "details"),
    ),
    Cause(
        "over_fetch", lambda r, w: {"statement": "open_of_owner", "size": r.uniform(1000, 8000)}, _on("open_of_owner")
    ),
    Cause("wide_select", lambda r, w: {"statement": "in_region"}, lambda w: [w.owner], prepare=_by_region),
    Cause(
        "failing_statement",
        lambda r, w: {"statement": r.choice(["add_event", "change_event"]), "size": r.uniform(0.1, 0.6)},
        _on("add_event", "change_event"),
        costs=False,
    ),
    Cause("hot_row", lambda r, w: {"statement": "count_it", "size": 1}, _on("count_it"), prepare=_more("count_it", 6)),
    Cause(
        "idle_transaction",
        lambda r, w: {
            "statement": r.choice(["count_it", "change_event"]),
            "size": r.uniform(0.1, 1.0),
            "lasts_s": r.uniform(10, 60),
        },
        _on("count_it", "change_event"),
    ),
    Cause(
        "lock_chain",
        lambda r, w: {
            "statement": "count_it",
            "then": "change_event",
            "size": r.uniform(0.15, 0.8),
            "lasts_s": r.uniform(15, 40),
        },
        _on("count_it", "change_event"),
    ),
    Cause(
        "deadlocks", lambda r, w: {"statement": "count_it", "size": r.randrange(20, 80)}, _on("count_it"), costs=False
    ),
    Cause(
        "schema_change_queue",
        lambda r, w: {"table": w.event, "lasts_s": r.uniform(20, 60), "every_s": r.uniform(600, 1500)},
        lambda w: [w.event],
    ),
    Cause(
        "long_transaction",
        lambda r, w: {"table": w.event},
        lambda w: [w.event, *w.servers],
        costs=False,
        ages=(90, 300),
    ),
    Cause("session_flood", lambda r, w: {"size": r.uniform(3, 6)}, _server),
    Cause("network_slow", lambda r, w: {"size": r.uniform(20, 80)}, _server),
    Cause(
        "processor_saturated",
        lambda r, w: {"size": w.document["clusters"][0]["host"]["cores"] * r.uniform(1.0, 2.0)},
        _server, prepare=_of_processor,
    ),
    Cause("host_setting", lambda r, w: {"size": r.uniform(0.25, 0.5)}, lambda w: ["power", *w.servers]),
    Cause("memory_overcommitted", lambda r, w: {"size": r.uniform(1.05, 1.2)}, _server),
    Cause("cache_too_small", lambda r, w: {"size": f"{r.choice([8, 16, 32])} MiB"}, _server),
    Cause("data_volume_slow", lambda r, w: {"size": r.uniform(3, 12)}, _volume("data")),
    Cause("log_volume_slow", lambda r, w: {"size": r.uniform(4, 15)}, _volume("log")),
    Cause(
        "volume_shared",
        lambda r, w: {"size": r.uniform(0.8, 0.97)},
        _volume("data"),
        named=("volume_shared", "data_volume_slow"),
        prepare=_reading,
    ),
    Cause("log_too_small", lambda r, w: {"size": "32 MiB"}, _server, costs=False),
    Cause(
        "duplicate_index",
        lambda r, w: {"table": w.event, "columns": [f"{w.owner}_id"]},
        lambda w: [w.event],
        costs=False,
    ),
    Cause(
        "write_amplification",
        lambda r, w: {"table": w.event, "size": r.randrange(6, 14)},
        lambda w: [w.event],
        costs=False,
    ),
    Cause(
        "stale_statistics",
        lambda r, w: {"table": w.owner, "size": r.uniform(20, 100)},
        lambda w: [w.owner],
        costs=False,
    ),
    Cause(
        "value_sensitive_plan",
        lambda r, w: {"statement": "open_of_owner", "size": r.uniform(300, 2000), "share": r.uniform(0.1, 0.4)},
        _on("open_of_owner"),
    ),
    Cause("upkeep_off", lambda r, w: {}, lambda w: ["upkeep_enabled"], costs=False, named=("upkeep_off",)),
    Cause(
        "bloat",
        lambda r, w: {"table": w.event, "size": r.uniform(0.2, 0.6)},
        lambda w: [w.event],
        costs=False,
        ages=(120, 400),
    ),
    Cause(
        "transaction_age",
        lambda r, w: {"size": r.uniform(5e6, 2e7)},
        lambda w: [w.event, w.owner, w.detail, *w.servers],
        costs=False,
        ages=(60, 1500),
    ),
    Cause(
        "sequence_running_out",
        lambda r, w: {"sequence": f"{w.event}_id_seq", "used": r.uniform(0.8, 0.95), "size": r.uniform(0.0004, 0.003)},
        lambda w: [f"{w.event}_id_seq"],
        costs=False,
    ),
    Cause(
        "storage_filling",
        lambda r, w: {"size": r.randrange(8, 30) * 10**9},
        _volume("data"),
        costs=False,
        ages=(120, 600),
    ),
    Cause(
        "replica_behind",
        lambda r, w: {"why": r.choice(["one_process", "volume", "processor", "reader"])},
        lambda w: ["main-b"],
        shapes=("replicas",),
        on="replica",
        costs=False,
        shows=("replica_lag_s", 75.0),
    ),
    Cause(
        "log_kept_for_lost_replica",
        lambda r, w: {"size": r.randrange(1, 8) * 10**9},
        lambda w: ["log", *w.servers],
        shapes=("replicas",),
        costs=False,
        ages=(60, 400),
    ),
    Cause("cold_cache_after_failover", lambda r, w: {"size": r.uniform(30, 90)}, _server, ages=(8, 20)),
    Cause(
        "setting_harmed",
        lambda r, w: {"setting": "checkpoint_interval_s", "value": r.choice([10, 15, 20])},
        lambda w: ["checkpoint_interval_s"],
        costs=False,
    ),
    Cause(
        "settings_differ",
        lambda r, w: {"setting": "sort_memory_bytes", "value": 131072},
        lambda w: ["sort_memory_bytes"],
        shapes=("replicas",),
        on="replica",
        costs=False,
        beside=True,
    ),
    Cause(
        "backup_in_rush",
        lambda r, w: {"size": r.randrange(60, 200) * 10**6},
        lambda w: ["backup", *w.servers],
        costs=False,
    ),
    Cause(
        "statistics_job_in_rush",
        lambda r, w: {"table": w.event, "size": r.uniform(3000, 9000)},
        lambda w: [w.event],
        costs=False,
    ),
    Cause("connection_storm", lambda r, w: {"size": r.uniform(150, 400)}, _server, costs=False),
    Cause(
        "uneven_load",
        lambda r, w: {"size": r.uniform(2, 4)},
        lambda w: ["main-b"],
        shapes=("members",),
        on="second",
        costs=False,
        beside=True,
    ),
    Cause(
        "hot_partition",
        lambda r, w: {"statement": r.choice(["by_code", "details"]), "size": r.uniform(4, 9)},
        lambda w: ["main-b", w.owner, w.detail],
        shapes=("members",),
        on="second",
        costs=False,
        beside=True,
    ),
    Cause("members_disagree", lambda r, w: {"size": 1}, _server, shapes=("members",), on="second", costs=False),
    Cause("clock_off", lambda r, w: {"size": r.choice([-300, 120, 420])}, _server, costs=False),
    Cause("cache_too_large", lambda r, w: {}, _server),
    Cause(
        "plan_regressed_after_upgrade",
        lambda r, w: {"table": w.event, "column": f"{w.owner}_id", "size": r.uniform(1e4, 1e6)},
        lambda w: [w.event],
        named=("plan_flip",),
    ),
    Cause(
        "prepared_transaction_left",
        lambda r, w: {"statement": "count_it", "share": r.uniform(0.002, 0.01)},
        lambda w: [*_on("count_it")(w), *w.servers],
    ),
    Cause(
        "temporary_files_fill",
        lambda r, w: {"table": w.event, "size": r.randrange(20, 90) * 10**9},
        lambda w: ["data", w.event, *w.servers],
        named=("sort_spills", "storage_filling", "temporary_files_fill"),
        costs=False,
        ages=(60, 200),
    ),
    Cause(
        "replica_query_cancelled",
        lambda r, w: {"statement": "report", "size": r.uniform(0.1, 0.5)},
        lambda w: [w.event, *w.servers],
        shapes=("replicas",),
        on="replica",
        costs=False,
        prepare=_report_everywhere,
    ),
    Cause(
        "member_down",
        lambda r, w: {"size": r.uniform(40, 90)},
        _server,
        shapes=("members",),
        on="second",
        looked_at=2,
        costs=False,
        ages=(5, 25),
    ),
    Cause(
        "burst_credit_used_up",
        lambda r, w: {"size": r.uniform(4000, 9000)},
        _volume("data"),
        costs=False,
        prepare=_bursting,
        ages=(60, 200),
        shows=("volume_credit_share.data", -0.01),
    ),
    Cause("pooler_too_small", lambda r, w: {"size": 1}, _server, prepare=_pooled, costs=False, shows=("pool_wait_s", 1.0)),
    Cause("sort_spills", lambda r, w: {"size": 65536}, lambda w: [*w.servers, w.event], prepare=_report),
)  # fmt: skip

# nothing is wrong, though something happens
QUIET: tuple[tuple[str, Draw], ...] = (
    ("nothing", lambda r, w: {}),
    (
        "release_without_effect",
        lambda r, w: {"service": w.document["databases"]["work"]["statements"]["by_code"]["service"]},
    ),
    ("index_upkeep", lambda r, w: {"index": f"{w.event}_{w.owner}"}),
    ("restart_with_warm_cache", lambda r, w: {}),
    ("seasonal_growth", lambda r, w: {"size": 0.01}),
)
