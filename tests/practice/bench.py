"""A server of one's own for trials over the physics: tables, hardware and settings given, everything else plain."""

from __future__ import annotations

from typing import Any

from hardy_gauge.probes.protocol import Arrival, PlayRequest, PlayStatement
from practice_fleet.conditions import State
from practice_fleet.events.result import Result
from practice_fleet.plays import event_run
from practice_fleet.scenario.clusters import ClusterSpec
from practice_fleet.scenario.data import ColumnSpec, IndexDef, TableSpec
from practice_fleet.scenario.document import Scenario
from practice_fleet.server import PracticeServer

GIB = 2**30
NOW = 1_795_435_200_000_000


def volume(latency_s: float = 0.0005, channels: int = 16, **limits: Any) -> dict[str, Any]:
    return {
        "capacity": "9 TB", "used": "1 GB", "growth_per_day": "1 MB", "channels": channels, "latency_s": latency_s,
        "stream_bytes_per_s": "400 MB", **limits,
    }  # fmt: skip


def table(gib: float, skew: float = 0.0, width: float = 164) -> TableSpec:
    """A table of so many GiB, found by its key; 192 bytes a row."""
    rows = gib * GIB / 8192 / (1 / (8192 * 0.96 / (28 + 8 + width)))
    columns = {"id": ColumnSpec(distinct=rows), "filler": ColumnSpec(distinct=rows, width=width, type="text")}
    return TableSpec(
        rows=rows, skew=skew, columns=columns, indexes=[IndexDef(name="t_pk", columns=["id"], unique=True)]
    )


LOOKUP = "SELECT filler FROM t WHERE id = $1"
UPDATE = "UPDATE t SET filler = $1 WHERE id = $2"
SCAN = "SELECT count(*) FROM t WHERE filler = $1"


def server(
    gib: float, memory_gib: float, data: dict[str, Any] | None = None, log: dict[str, Any] | None = None,
    settings: dict[str, Any] | None = None, skew: float = 0.0, cores: int = 8, network_s: float = 0.00005,
) -> PracticeServer:  # fmt: skip
    """One server on a host of its own, with one table ``t``."""
    host = {
        "cores": cores, "memory": f"{memory_gib} GiB", "data_volume": data or volume(),
        "log_volume": log or volume(0.0005, 1), "network_latency_s": network_s,
    }  # fmt: skip
    cluster = {
        "name": "bench", "database": "bench", "host": host,
        "servers": [{"name": "bench-a", "role": "single"}], "settings": {"max_sessions": 2000} | (settings or {}),
    }  # fmt: skip
    statement = {"sql": LOOKUP, "service": "s", "user": "u", "rate": 10, "rhythm": "even"}
    scenario = Scenario.model_validate(
        {
            "name": "bench", "seed": 1, "history_days": 1, "sample_history_days": 1, "clusters": [cluster],
            "databases": {"bench": {"tables": {"t": table(gib, skew).model_dump()}, "statements": {"look": statement}}},
            "rhythms": {"even": {"hours": [1.0] * 24}},
        }
    )  # fmt: skip
    return PracticeServer(scenario, ClusterSpec.model_validate(cluster), scenario.clusters[0].servers[0], NOW)


def play(
    on: PracticeServer, statements: list[tuple[str, float]], workers: int = 16, seconds: float = 20,
    settings: dict[str, Any] | None = None, **request: Any,
) -> tuple[Result, State]:  # fmt: skip
    """A closed run without pauses; the result and the state it ran in."""
    texts = [PlayStatement(text=sql, weight=weight) for sql, weight in statements]
    wanted = PlayRequest(
        statements=texts, arrival=Arrival(kind="closed", workers=workers), seconds=seconds, seed=7,
        settings=settings or {}, **request,
    )  # fmt: skip
    state = on.trial_state(NOW, texts, wanted.settings, [], [], wanted.arrival)
    return event_run(state, wanted).play(seconds), state


def throughput(result: Result, after_s: float = 5.0) -> float:
    """Executions per second that ended after the warm-up."""
    ended = result.executions["start_s"] + result.executions["duration_s"]
    return float((ended > after_s).sum()) / (result.seconds - after_s)
