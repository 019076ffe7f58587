"""Simulated seconds per wall second of a run by events at 500 transactions a second."""

from __future__ import annotations

from benchmarks.timing import seconds
from hardy_gauge.probes.protocol import Arrival
from practice_fleet.events.run import Run
from practice_fleet.physics.wait_events import Limits
from practice_fleet.scenario.hardware import HostSpec
from practice_fleet.scenario.reading import load_scenario, shipped
from practice_fleet.server import PracticeServer

NOW = 1_795_435_200_000_000
SPAN = 60


def measure() -> dict[str, float]:
    scenario = load_scenario(shipped())
    cluster = scenario.clusters[0]
    server = PracticeServer(scenario, cluster, cluster.servers[0], NOW)
    found = {}
    for name, at in (("as_usual", NOW - 86_400_000_000), ("with_scans", NOW - 60_000_000)):
        state = server.state(at)
        keys = [k for k, s in server.statements.items() if k in state.visits and s.rhythm == "branches"]
        mix, rates = [state.visits[k] for k in keys], [state.rates[k] for k in keys]

        def play(mix: list = mix, rates: list = rates, host: HostSpec = state.host) -> None:  # type: ignore[type-arg]
            Run(host, mix, rates, Arrival(kind="open", rate_per_s=500), Limits(240), seed=1).play(SPAN)

        play()
        found[f"simulated_s_per_wall_s_{name}"] = SPAN / seconds(play)
    return found
