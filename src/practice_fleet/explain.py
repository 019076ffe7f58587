"""Plans with the times of their steps at the present load, and the schema with the work done on it."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import replace

import numpy as np

from hardy_gauge.probes import protocol as p
from practice_fleet.conditions import State
from practice_fleet.history import Block
from practice_fleet.physics.cache import Hits
from practice_fleet.physics.demand import bypasses, step_visits
from practice_fleet.physics.wait_events import QUEUE, READ, RUNNING
from practice_fleet.planner.plan import Node
from practice_fleet.scenario.units import PAGE_BYTES
from practice_fleet.scenario.work import StatementSpec
from practice_fleet.server import PracticeServer

GUESSED_HITS = 0.5
COLUMN = "column."


def what_if(server: PracticeServer, block: Block, request: p.ExplainRequest, now_us: int) -> p.Explained:
    """Plan a text, with indexes that do not exist or without some that do."""
    text = p.PlayStatement(text=request.text, weight=1.0)
    state = server.trial_state(now_us, [text], {}, request.add_indexes, request.drop_indexes)
    here = server.state(now_us).situation
    hits = dict(here.caches.hits)
    for name, index in state.catalogue.indexes.items():
        if name not in hits:
            hits[name] = Hits(max(hits[index.table].buffer, GUESSED_HITS))
    situation = replace(here, caches=replace(here.caches, hits=hits))
    return explained(_with(state, situation), "0", block)


def plan_by_key(server: PracticeServer, plan_key: str, now_us: int) -> tuple[State, str] | None:
    """The state and statement for which the server used this plan: now, or at one of its changes before."""
    changes = server.cuts(server.start_us, now_us)
    for at in [now_us, *reversed([at + 1 for at in changes]), server.start_us]:
        state = server.state(at)
        for key, node in state.plans.items():
            if node.key() == plan_key:
                return state, key
    return None


def explained(state: State, key: str, block: Block) -> p.Explained:
    node = state.plans[key]
    root = _Stepper(state, state.statements[key], _stretch(block)).of(node)
    return p.Explained(plan_key=node.key(), cost=node.total_cost(), time_s=root.time_s, root=root)


def _with(state: State, situation: object) -> State:
    copy = replace(state)
    copy.__dict__["situation"] = situation
    return copy


class _Stepper:
    """Turns planner nodes into protocol steps; time of a step includes the steps below."""

    def __init__(self, state: State, spec: StatementSpec, stretch: dict[str, float]) -> None:
        self.state, self.spec, self.stretch = state, spec, stretch

    def of(self, node: Node) -> p.Step:
        volume = self.state.host.data_volume
        visit = step_visits(self.state.catalogue, node, self.spec, self.state.seen_from(node.at))
        own = visit.processor_s * self.stretch["processor"]
        own += (
            (visit.random_reads + visit.swap_reads + visit.evict_writes)
            * volume.latency_s
            * self.stretch["data volume"]
        )
        own += (visit.chunk_reads + visit.temp_reads) * visit.chunk_s * self.stretch["data volume"]
        own = (own + visit.log_s + visit.exchange_s) / node.beside
        below = [self.of(child) for child in node.below]
        pages = float(self.state.settings["buffer_cache_bytes"]) / PAGE_BYTES
        past = node.operation == "scan" and bypasses(self.state.catalogue, str(node.table), pages)
        return p.Step(
            operation=node.operation, words=node.words + (", past the cache" if past else ""), object=node.table,
            index=node.index, predicate=node.predicate, rows_expected=node.rows_expected, rows_seen=node.rows_true,
            rows_examined=node.examined, loops=node.loops, cost=node.total_cost(),
            time_s=own + sum(step.time_s or 0 for step in below),
            pages_requested=visit.pages_requested, pages_read=visit.pages_read, steps=below,
        )  # fmt: skip


def _stretch(block: Block) -> dict[str, float]:
    """Time in queue and service ÷ service alone, by station, in a minute."""
    rate = block.model.rate[:, 0]
    total = block.model.seconds[:, :, 0] @ rate
    latency = block.state.host.data_volume.latency_s
    alone = block.per_call("random_reads") * latency + block.per_call("chunk_reads") * block.per_call("chunk_s")
    data = float(np.sum(rate * alone[:, 0]))
    return {
        "processor": 1 + float(total[QUEUE] / total[RUNNING]) if total[RUNNING] else 1.0,
        "data volume": max(1.0, float(total[READ]) / data) if data > 0 else 1.0,
    }


def schema(server: PracticeServer, block: Block, now_us: int, written: Mapping[str, Mapping[str, float]]) -> p.Schema:
    """Tables and indexes; ``written`` are the rows counted by table since the start, keyed as ``rows_written`` does."""
    state = block.state
    rates = dict(zip(block.keys, block.model.rate[:, 0].tolist(), strict=True))
    lookups: dict[str, float] = {}
    for key, node in state.plans.items():
        for step in node.walk():
            if step.index:
                lookups[step.index] = lookups.get(step.index, 0.0) + step.loops * rates.get(key, 0.0)
    tables = []
    for name, table in state.catalogue.tables.items():
        counted = written.get(name, {})
        tables.append(
            p.Table(
                name=name, rows=table.rows, bytes=int(table.pages * PAGE_BYTES),
                columns=[
                    p.Column(name=c, type=s.type, width_bytes=s.width, distinct=s.distinct, null_share=s.null_share)
                    for c, s in table.columns.items()
                ],
                indexes=[
                    p.IndexFacts(
                        name=i.name, table=name, columns=list(i.columns), unique=i.unique,
                        bytes=int(i.pages * PAGE_BYTES), lookups=lookups.get(i.name, 0.0),
                    )
                    for i in state.catalogue.on(name)
                ],
                inserts=counted.get("insert", 0.0), updates=counted.get("update", 0.0), deletes=counted.get("delete", 0.0),
                column_updates={c: counted[f"{COLUMN}{c}"] for c in table.columns if f"{COLUMN}{c}" in counted},
            )
        )  # fmt: skip
    return p.Schema(at_us=now_us, database=server.cluster.database, tables=tables)


def rows_written(block: Block, key: str) -> tuple[str, dict[str, float]] | None:
    """The table that a statement writes to, and the rows of one call by operation, of updates also by column."""
    state = block.state
    write = state.plans[key].write if key in state.plans else None
    if write is None or write.table is None:
        return None
    counted = {write.operation: write.rows_true}
    if write.operation == "update":
        columns = state.catalogue.tables[write.table].columns
        counted |= {f"{COLUMN}{c}": write.rows_true for c in _changed(state.statements[key], columns)}
    return write.table, counted


def _changed(spec: StatementSpec, columns: Iterable[str]) -> set[str]:
    assigned = spec.sql.lower().split(" set ", 1)[-1].split(" where ")[0]
    return {c for c in columns if f"{c} =" in assigned}
