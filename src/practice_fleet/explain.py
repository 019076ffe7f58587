"""Plans with the times of their steps at the present load."""

from __future__ import annotations

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


def what_if(server: PracticeServer, block: Block, request: p.ExplainRequest, now_us: int) -> p.Explained:
    """Plan a text, with indexes that do not exist or without some that do."""
    text = p.PlayStatement(text=request.text, weight=1.0)
    state = server.trial_state(now_us, [text], {}, request.add_indexes, request.drop_indexes, unpinned=request.unpinned)
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


def planned(state: State, block: Block) -> list[p.Explained]:
    """The plans of a workload that is about to be played, by the number of its statement; without times, for it has not run."""
    found = [explained(state, key, block) for key in sorted(state.plans, key=int)]
    for one in found:
        one.time_s = None
        below = [one.root]
        while below:
            step = below.pop()
            step.time_s = None
            below += step.steps
    return found


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
