"""What is drawn of each cause in a world: where it happens, how large it is, and what a diagnosis must say of it.

One line a cause. A size is drawn from where an effect can be seen; a case whose cause costs time and changes next to nothing in its
world is drawn again.
"""

from __future__ import annotations

import random
from collections.abc import Callable
from dataclasses import dataclass, field
from typing import Any

from tests.truth.generator.worlds import World

Draw = Callable[[random.Random, World], dict[str, Any]]
Subjects = Callable[[World], list[str]]


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
    beside: bool = False  # whether its peers are recorded too
    more: dict[str, float] = field(default_factory=dict)  # statements that the world calls so many times as often

    @property
    def names(self) -> tuple[str, ...]:
        return self.named or (self.name,)


def _sql(world: World, statement: str) -> str:
    return str(world.document["databases"]["work"]["statements"][statement]["sql"])[:30]


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
    Cause("plan_flip", lambda r, w: {"table": w.event, "column": f"{w.owner}_id", "size": r.uniform(1e4, 1e6)}, lambda w: [w.event]),
    Cause("new_statement", _new, lambda w: ["grade = $1", "kind = $1", "region_id = $1"]),
    Cause("many_small_calls", lambda r, w: {"statement": r.choice(["by_code", "details"]), "size": r.uniform(5, 25)}, _on("by_code", "details")),
    Cause("over_fetch", lambda r, w: {"statement": "open_of_owner", "size": r.uniform(1000, 8000)}, _on("open_of_owner")),
    Cause("wide_select", lambda r, w: {"statement": r.choice(["of_owner", "details", "by_code"])}, lambda w: [w.event, w.detail, w.owner], more={"of_owner": 2.0}),
    Cause("failing_statement", lambda r, w: {"statement": r.choice(["add_event", "change_event"]), "size": r.uniform(0.1, 0.6)},
          _on("add_event", "change_event"), costs=False),
    Cause("hot_row", lambda r, w: {"statement": "count_it", "size": 1}, _on("count_it"), more={"count_it": 6.0}),
    Cause("idle_transaction", lambda r, w: {"statement": r.choice(["count_it", "change_event"]), "size": r.uniform(0.1, 1.0), "lasts_s": r.uniform(10, 60)},
          _on("count_it", "change_event")),
    Cause("lock_chain", lambda r, w: {"statement": "count_it", "then": "change_event", "size": r.uniform(0.15, 0.8), "lasts_s": r.uniform(15, 40)},
          _on("count_it", "change_event")),
    Cause("deadlocks", lambda r, w: {"statement": "count_it", "size": r.randrange(20, 80)}, _on("count_it"), costs=False),
    Cause("schema_change_queue", lambda r, w: {"table": w.event, "lasts_s": r.uniform(20, 60), "every_s": r.uniform(600, 1500)}, lambda w: [w.event]),
    Cause("long_transaction", lambda r, w: {"table": w.event}, lambda w: [w.event, *w.servers], costs=False, ages=(90, 300)),
    Cause("session_flood", lambda r, w: {"size": r.uniform(3, 6)}, _server),
    Cause("network_slow", lambda r, w: {"size": r.uniform(20, 80)}, _server),
    Cause("processor_saturated", lambda r, w: {"size": w.document["clusters"][0]["host"]["cores"] * r.uniform(0.8, 1.2)}, _server),
    Cause("host_setting", lambda r, w: {"size": r.uniform(0.25, 0.5)}, lambda w: ["power", *w.servers]),
    Cause("memory_overcommitted", lambda r, w: {"size": r.uniform(1.05, 1.2)}, _server),
    Cause("cache_too_small", lambda r, w: {"size": f"{r.choice([8, 16, 32])} MiB"}, _server),
    Cause("data_volume_slow", lambda r, w: {"size": r.uniform(3, 12)}, _volume("data")),
    Cause("log_volume_slow", lambda r, w: {"size": r.uniform(4, 15)}, _volume("log")),
    Cause("volume_shared", lambda r, w: {"size": r.uniform(0.75, 0.93)}, _volume("data"), named=("volume_shared", "data_volume_slow")),
    Cause("log_too_small", lambda r, w: {"size": "32 MiB"}, _server, costs=False),
    Cause("duplicate_index", lambda r, w: {"table": w.event, "columns": [f"{w.owner}_id"]}, lambda w: [w.event], costs=False),
    Cause("write_amplification", lambda r, w: {"table": w.event, "size": r.randrange(6, 14)}, lambda w: [w.event], costs=False),
    Cause("stale_statistics", lambda r, w: {"table": w.owner, "size": r.uniform(20, 100)}, lambda w: [w.owner], costs=False),
    Cause("value_sensitive_plan", lambda r, w: {"statement": "open_of_owner", "size": r.uniform(300, 2000), "share": r.uniform(0.1, 0.4)},
          _on("open_of_owner")),
    Cause("upkeep_off", lambda r, w: {}, _server, costs=False, named=("upkeep_off",)),
    Cause("bloat", lambda r, w: {"table": w.event, "size": r.uniform(0.2, 0.6)}, lambda w: [w.event], costs=False, ages=(120, 400)),
    Cause("transaction_age", lambda r, w: {"size": r.uniform(5e6, 2e7)}, lambda w: [w.event, w.owner, w.detail, *w.servers], costs=False, ages=(60, 1500)),
    Cause("sequence_running_out", lambda r, w: {"sequence": f"{w.event}_id_seq", "used": r.uniform(0.8, 0.95), "size": r.uniform(0.0004, 0.003)},
          lambda w: [f"{w.event}_id_seq"], costs=False),
    Cause("storage_filling", lambda r, w: {"size": r.randrange(8, 30) * 10**9}, _volume("data"), costs=False, ages=(120, 600)),
    Cause("replica_behind", lambda r, w: {"why": r.choice(["one_process", "volume", "processor", "reader"])}, lambda w: ["main-b"], shapes=("replicas",), on="replica", costs=False),
    Cause("log_kept_for_lost_replica", lambda r, w: {"size": r.randrange(1, 8) * 10**9}, lambda w: ["log", *w.servers], shapes=("replicas",), costs=False, ages=(60, 400)),
    Cause("cold_cache_after_failover", lambda r, w: {"size": r.uniform(30, 90)}, _server, ages=(8, 20)),
    Cause("setting_harmed", lambda r, w: {"setting": "checkpoint_interval_s", "value": r.choice([10, 15, 20])}, lambda w: ["checkpoint_interval_s"], costs=False),
    Cause("settings_differ", lambda r, w: {"setting": "sort_memory_bytes", "value": 131072}, lambda w: ["sort_memory_bytes"], shapes=("replicas",), on="replica", costs=False, beside=True),
    Cause("backup_in_rush", lambda r, w: {"size": r.randrange(60, 200) * 10**6}, lambda w: ["backup", *w.servers], costs=False),
    Cause("statistics_job_in_rush", lambda r, w: {"table": w.event, "size": r.uniform(3000, 9000)}, lambda w: [w.event], costs=False),
    Cause("connection_storm", lambda r, w: {"size": r.uniform(150, 400)}, _server, costs=False),
    Cause("uneven_load", lambda r, w: {"size": r.uniform(2, 4)}, lambda w: ["main-b"], shapes=("members",), on="second", costs=False, beside=True),
    Cause("hot_partition", lambda r, w: {"statement": r.choice(["by_code", "details"]), "size": r.uniform(4, 9)}, lambda w: ["main-b", w.owner, w.detail], shapes=("members",), on="second", costs=False, beside=True),
    Cause("members_disagree", lambda r, w: {"size": 1}, _server, shapes=("members",), on="second", costs=False),
    Cause("clock_off", lambda r, w: {"size": r.choice([-300, 120, 420])}, _server, costs=False),
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
