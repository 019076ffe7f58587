"""A whole fleet: every server of a scenario with its history, and what they send one another."""

from __future__ import annotations

from practice_fleet.flows.base import Flow
from practice_fleet.flows.replication import LogFlow
from practice_fleet.flows.storage import StorageFlow
from practice_fleet.flows.workers import WorkerFlow
from practice_fleet.history import History
from practice_fleet.operations.settings import Restart
from practice_fleet.scenario.document import Scenario
from practice_fleet.server import PracticeServer
from practice_fleet.troubles.base import BaseTrouble


def restart_with_troubles(server: PracticeServer) -> None:
    """Restart a server where a trouble changes what takes effect at a restart alone, or brings one."""
    moments = {
        at: trouble.restarts_warm
        for trouble in server.influences
        if isinstance(trouble, BaseTrouble)
        for at in trouble.restart_moments(server.anchor_us)
        if at >= server.start_us
    }
    for at, warm in sorted(moments.items()):
        restart = Restart(at)
        restart.prepare(server)
        if warm is not None:
            restart.warm = warm
        server.influences.append(restart)


class Fleet:
    """Histories by name of the server; ``anchor_us`` is the fleet's first start."""

    def __init__(self, scenario: Scenario, anchor_us: int) -> None:
        self.servers = {
            name: PracticeServer(scenario, cluster, spec, anchor_us)
            for name, (cluster, spec) in scenario.servers().items()
        }
        for name, server in self.servers.items():
            same = (one.name for one in server.cluster.servers if one.name != name)
            server.peers = {peer: self.servers[peer] for peer in same}
            restart_with_troubles(server)
        flows: dict[str, list[Flow]] = {name: self._log(server) for name, server in self.servers.items()}
        stored = {name: server.cluster.host.data_volume.shared_as for name, server in self.servers.items()}
        storage: dict[str, Flow] = {}
        for name, shared in stored.items():
            others = [(self.servers[n], flows[n]) for n, other in stored.items() if n != name and other == shared]
            if shared and others:
                storage[name] = StorageFlow(others)
        self.histories = {
            name: History(server, [*flows[name], *([storage[name]] if name in storage else [])])
            for name, server in self.servers.items()
        }
        for name, server in self.servers.items():
            if server.spec.role == "coordinator":
                workers = [s.name for s in server.cluster.servers if s.role == "worker"]
                self.histories[name].flows.append(WorkerFlow([self.histories[worker] for worker in workers]))

    def _log(self, server: PracticeServer) -> list[Flow]:
        if server.spec.role != "replica":
            return []
        primary = next(s.name for s in server.cluster.servers if s.role == "primary")
        return [LogFlow(self.servers[primary], server)]
