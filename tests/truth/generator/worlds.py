"""Worlds: other tables, statements, machines and rhythms than the demo's, drawn from a seed.

A world has an owner table looked up by a code, an event table that grows, a detail table, and a small table that is counted in; its
statements are a draw of shapes over them. Its rates are set so that its servers are as busy as was drawn.
"""

from __future__ import annotations

import random
from dataclasses import dataclass
from typing import Any

from practice_fleet.fleet import Fleet
from practice_fleet.frames import metric_frame
from practice_fleet.scenario.document import Scenario

MINUTE_US = 60_000_000
DAY_US = 1440 * MINUTE_US
# owner, event, detail, counter, a state, services
THEMES: tuple[tuple[str, ...], ...] = (
    ("station", "reading", "calibration", "station_day", "valid", "ingest", "maps"),
    ("vehicle", "passage", "delay_note", "line_day", "late", "dispatch", "boards"),
    ("instrument", "exposure", "frame", "night_sum", "reduced", "observing", "archive"),
    ("plot", "harvest", "crate", "plot_week", "weighed", "scales", "planning"),
    ("herbarium", "specimen", "label", "shelf_count", "mounted", "digitising", "lookup"),
    ("turbine", "sample", "alarm", "park_hour", "open", "control", "reporting"),
)


@dataclass(frozen=True)
class World:
    """A scenario as a document, and the names that causes need."""

    document: dict[str, Any]
    owner: str
    event: str
    detail: str
    counter: str
    writer: str  # the server that takes the writes
    servers: tuple[str, ...]
    shape: str
    anchor_us: int


def world(rng: random.Random, shape: str, anchor_us: int) -> World:
    """A world of a shape: single, replicas, members, workers."""
    owner, event, detail, counter, state, front, back = THEMES[rng.randrange(len(THEMES))]
    owners = 10 ** rng.uniform(4.0, 6.0)
    events = min(6e7, owners * 10 ** rng.uniform(0.7, 2.3))
    names = _servers(shape)
    host = _host(rng, events)
    cluster: dict[str, Any] = {
        "name": "main", "database": "work", "host": host, "sessions": rng.randrange(30, 120),
        "settings": {"buffer_cache_bytes": int(host["memory_bytes"] * rng.uniform(0.25, 0.45)), "max_sessions": 300},
        "servers": [{"name": name, "role": role} for name, role in names],
    }  # fmt: skip
    del host["memory_bytes"]
    if shape == "members":
        cluster["copies"] = 1
    reads = "all" if shape == "members" or (shape == "replicas" and rng.random() < 0.5) else "primary"
    document: dict[str, Any] = {
        "name": f"{owner} world", "seed": rng.randrange(10**6), "history_days": 9, "sample_history_days": 2,
        "clusters": [cluster], "rhythms": {"day": _rhythm(rng), "night": {"hours": [0, 0, 1] + [0] * 21}},
        "databases": {"work": {
            "tables": _tables(rng, owner, event, detail, counter, owners, events),
            "statements": _statements(rng, owner, event, detail, counter, state, front, back, reads, shape),
        }}, "troubles": [],
    }  # fmt: skip
    made = World(document, owner, event, detail, counter, names[0][0], tuple(n for n, _ in names), shape, anchor_us)
    set_rates(made, rng.uniform(0.15, 0.45))
    return made


def _servers(shape: str) -> list[tuple[str, str]]:
    roles = {
        "single": ["single"], "replicas": ["primary", "replica", "replica"], "members": ["member"] * 4,
        "workers": ["coordinator", "worker", "worker", "worker"],
    }[shape]  # fmt: skip
    return [(f"main-{'abcd'[n]}", role) for n, role in enumerate(roles)]


def _host(rng: random.Random, events: float) -> dict[str, Any]:
    cores = rng.choice([2, 4, 4, 8, 16])
    memory = max(4, cores * rng.choice([1, 2, 4])) * 2**30
    volume = {
        "capacity": "800 GB", "used": "300 GB", "growth_per_day": f"{rng.uniform(0.1, 2):.2f} GB", "channels": rng.choice([4, 8, 16]),
        "latency_s": round(rng.uniform(0.0002, 0.001), 6), "stream_bytes_per_s": "200 MB",
    }  # fmt: skip
    log = volume | {"capacity": "80 GB", "used": "10 GB", "growth_per_day": "1 MB", "channels": 1}
    return {"cores": cores, "memory": memory, "memory_bytes": memory, "data_volume": volume, "log_volume": log}


def _rhythm(rng: random.Random) -> dict[str, Any]:
    low, peak = rng.uniform(0.15, 0.5), rng.randrange(9, 18)
    hours = [round(low + (1 - low) * max(0.0, 1 - abs(hour - peak) / 9), 3) for hour in range(24)]
    return {"hours": hours, "weekdays": [1.0, 1.0, 0.98, 1.0, 0.95, rng.uniform(0.4, 0.9), rng.uniform(0.3, 0.8)]}


def _tables(
    rng: random.Random, owner: str, event: str, detail: str, counter: str, owners: float, events: float
) -> dict[str, Any]:
    skew = rng.uniform(0.5, 0.95)
    return {
        owner: {
            "rows": round(owners), "skew": round(skew, 2),
            "columns": {
                "id": {"distinct": round(owners)}, "code": {"distinct": round(owners), "type": "varchar", "width": 12},
                "title": {"distinct": round(owners * 0.9), "type": "varchar", "width": 24}, "region_id": {"distinct": 60, "type": "integer", "width": 4},
            },
            "indexes": [
                {"name": f"{owner}_pk", "columns": ["id"], "unique": True}, {"name": f"{owner}_code", "columns": ["code"], "unique": True},
            ],
        },
        event: {
            "rows": round(events), "skew": round(skew, 2),
            "columns": {
                "id": {"distinct": round(events)}, f"{owner}_id": {"distinct": round(owners)},
                "at": {"distinct": round(events * 0.9), "type": "timestamp"}, "state": {"distinct": 6, "type": "varchar", "width": 8},
                "grade": {"distinct": 90, "type": "integer", "width": 4}, "remark": {"distinct": 50000, "type": "text", "width": rng.randrange(10, 90)},
            },
            "indexes": [
                {"name": f"{event}_pk", "columns": ["id"], "unique": True},
                {"name": f"{event}_{owner}", "columns": [f"{owner}_id"]}, {"name": f"{event}_at", "columns": ["at"]},
            ],
        },
        detail: {
            "rows": round(events * 0.4), "skew": round(skew, 2),
            "columns": {
                "id": {"distinct": round(events * 0.4)}, f"{event}_id": {"distinct": round(events * 0.3)},
                "kind": {"distinct": 12, "type": "integer", "width": 4}, "amount": {"distinct": 3000, "type": "numeric", "width": 6},
            },
            "indexes": [
                {"name": f"{detail}_pk", "columns": ["id"], "unique": True},
                {"name": f"{detail}_{event}", "columns": [f"{event}_id", "kind"]},
            ],
        },
        counter: {
            "rows": 40000, "skew": 1.0,
            "columns": {
                "region_id": {"distinct": 60, "type": "integer", "width": 4}, "day": {"distinct": 700, "type": "date", "width": 4},
                "seen": {"distinct": 900, "type": "integer", "width": 4},
            },
            "indexes": [{"name": f"{counter}_pk", "columns": ["region_id", "day"], "unique": True}],
        },
    }  # fmt: skip


def _statements(
    rng: random.Random,
    owner: str,
    event: str,
    detail: str,
    counter: str,
    state: str,
    front: str,
    back: str,
    reads: str,
    shape: str,
) -> dict[str, Any]:
    def one(sql: str, rate: float, service: str = front, on: str = reads, **more: Any) -> dict[str, Any]:
        drawn = round(rate * rng.uniform(0.6, 1.6), 3)
        return {
            "sql": sql,
            "service": service,
            "user": f"{service}_app",
            "rate": drawn,
            "rhythm": "day",
            "on": on,
        } | more

    writes = "all" if shape == "members" else "primary"
    made = {
        "by_code": one(f"SELECT id, title, region_id FROM {owner} WHERE code = $1", 60),
        "of_owner": one(f"SELECT id, at, state FROM {event} WHERE {owner}_id = $1 ORDER BY at LIMIT 20", 50),
        "details": one(f"SELECT id, kind, amount FROM {detail} WHERE {event}_id = $1", 80, back),
        "open_of_owner": one(f"SELECT id, grade FROM {event} WHERE {owner}_id = $1 AND state = '{state}'", 20, back),
        "add_event": one(f"INSERT INTO {event} ({owner}_id, at, state, grade) VALUES ($1, $2, '{state}', $3)", 25, on=writes),
        "change_event": one(f"UPDATE {event} SET grade = $1 WHERE id = $2", 20, on=writes),
        "count_it": one(f"UPDATE {counter} SET seen = seen + 1 WHERE region_id = $1 AND day = $2", 25, on=writes, hot_rows=60),
    }  # fmt: skip
    more = {
        "joined": one(f"SELECT d.id, d.amount, e.state FROM {detail} d JOIN {event} e ON e.id = d.{event}_id WHERE d.{event}_id = $1", 30, back),
        "add_detail": one(f"INSERT INTO {detail} ({event}_id, kind, amount) VALUES ($1, $2, $3)", 15, on=writes),
        "by_id": one(f"SELECT id, state, grade, remark FROM {event} WHERE id = $1", 90),
        "title": one(f"UPDATE {owner} SET title = $1 WHERE id = $2", 4, on=writes),
        "nightly": one(f"SELECT {owner}_id, count(*) FROM {event} WHERE grade = $1 GROUP BY {owner}_id", 0.01, back, rhythm="night"),
    }  # fmt: skip
    return made | {name: more[name] for name in rng.sample(sorted(more), rng.randrange(2, 5))}


def set_rates(made: World, busy: float) -> None:
    """Scale every rate so that at the peak of a Monday the busiest processor or volume is ``busy`` of what it can do."""
    hours = made.document["rhythms"]["day"]["hours"]
    days = made.anchor_us // DAY_US - 1
    peak_us = (days - (days + 3) % 7) * DAY_US + hours.index(max(hours)) * DAY_US // 24  # day 0 was a Thursday
    host = made.document["clusters"][0]["host"]
    most_of = {
        "processor_busy_s": host["cores"],
        "data_volume_busy_s": host["data_volume"]["channels"],
        "log_volume_busy_s": 1,
    }
    for _ in range(2):
        fleet = Fleet(Scenario.model_validate(made.document), made.anchor_us)
        frames = [
            metric_frame(fleet.histories[name], peak_us, peak_us + 10 * MINUTE_US) for name in made.servers
        ]  # fmt: skip
        shares = [
            float(frame[name].sum()) / len(frame) / 60 / most for frame in frames for name, most in most_of.items()
        ]
        for statement in made.document["databases"]["work"]["statements"].values():
            statement["rate"] = round(statement["rate"] * busy / max(*shares, 1e-6), 4)
