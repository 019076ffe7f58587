"""The practice fleet: history of the whole demo, live feed of many servers, runs by events beside bare SimPy."""

from __future__ import annotations

import time
from collections.abc import Generator

import simpy

from benchmarks.goals import Goals, at_least
from benchmarks.timing import seconds, side_by_side
from hardy_gauge.probes.protocol import Arrival, PlayRequest, PlayStatement
from practice_fleet import frames
from practice_fleet.events.run import Run
from practice_fleet.fleet import Fleet
from practice_fleet.live import LiveServer
from practice_fleet.plays import event_run
from practice_fleet.scenario.document import Scenario
from practice_fleet.scenario.reading import load_scenario, shipped
from practice_fleet.server import DAY_US, MINUTE_US, PracticeServer

NOW = 1_795_435_200_000_000
SPAN_S = 60
MANY = 200
LIVE_S = 120

GOALS: Goals = {"events_per_s_to_bare_simpy": at_least(0.5)}


def server(scenario: Scenario, name: str) -> PracticeServer:
    return PracticeServer(scenario, *scenario.servers()[name], NOW)


def whole_history(scenario: Scenario) -> None:
    """Every frame of every server, by days, as the import asks for them."""
    for history in Fleet(scenario, NOW).histories.values():
        for day in range(history.server.start_us, NOW, DAY_US):
            until = min(day + DAY_US, NOW)
            frames.metric_frame(history, day, until)
            frames.statement_frame(history, day, until)
            frames.execution_frame(history, day, until, 0.1)
            if until > NOW - scenario.sample_history_days * DAY_US:
                frames.sample_frame(history, day, until)


def live_share_of_a_core(scenario: Scenario) -> float:
    """Processor seconds a second that ``MANY`` servers take: sessions each second, counters each minute."""
    servers = [LiveServer(history, NOW) for history in Fleet(scenario, NOW).histories.values()]
    for live in servers:
        live.statements(NOW)
    began = time.process_time()
    for second in range(LIVE_S):
        at = NOW + MINUTE_US + second * 1_000_000
        for live in servers:
            live.sessions(at)
            if second % 60 == 0:
                live.counters(at)
                live.statements(at)
                live.settings(at)
                live.schema(at)
    return (time.process_time() - began) / LIVE_S / len(servers) * MANY


def mixed_run(scenario: Scenario, seed: int = 1) -> Run:
    """Twenty statements of mixed plans at 500 transactions a second, page by page."""
    lab = server(scenario, "lab-a")
    known = list(lab.database.statements.values())
    texts = [PlayStatement(text=s.sql, weight=s.rate) for s in known if s.rhythm == "branches"]
    texts += [
        PlayStatement(text=f"SELECT id, due_on FROM loan WHERE {condition}", weight=2)
        for condition in ("id = 4", "patron_id = $1", "item_id IN (1, 2, 3)", "patron_id = $1 AND due_on > $2",
                          "id < 400", "item_id = $1 ORDER BY due_on LIMIT 3", "id BETWEEN 50 AND 90", "patron_id < 20")
    ]  # fmt: skip
    request = PlayRequest(statements=texts, arrival=Arrival(kind="open", rate_per_s=500), seconds=SPAN_S, seed=seed)
    return event_run(lab.trial_state(NOW - DAY_US, texts, {}, [], [], request.arrival), request)


def bare(events: int) -> None:
    """As many SimPy events with nothing behind them, in sixteen processes."""
    env = simpy.Environment()

    def tick() -> Generator[simpy.Event, None, None]:
        while True:
            yield env.timeout(1.0)

    for _ in range(16):
        env.process(tick())
    for _ in range(events):
        env.step()


def measure() -> dict[str, float]:
    scenario = load_scenario(shipped())
    run = mixed_run(scenario)
    whole = seconds(lambda: run.play(SPAN_S))
    events = next(run.env._eid)
    ready = [mixed_run(scenario) for _ in range(4)]
    ours, theirs = side_by_side(lambda: ready.pop().play(SPAN_S), lambda: bare(events), rounds=3)
    return {
        "servers": len(scenario.servers()),
        "history_days": scenario.history_days,
        "whole_history_s_one_process": seconds(lambda: whole_history(scenario)),
        "live_share_of_a_core_200_servers": live_share_of_a_core(scenario),
        "statements_in_mix": len(run.visits),
        "simulated_s_per_wall_s_mixed": SPAN_S / whole,
        "events_per_s_to_bare_simpy": theirs / ours,
    }
