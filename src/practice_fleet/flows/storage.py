"""Several servers on one storage: what the others ask of it is in the way of each."""

from __future__ import annotations

import numpy as np

from practice_fleet.conditions import State
from practice_fleet.flows.base import Flow, asked_for, spans
from practice_fleet.physics.queueing import Array
from practice_fleet.physics.storage import Others, Volume
from practice_fleet.server import MINUTE_US, PracticeServer


class StorageFlow(Flow):
    """Requests that the other servers on a storage send to it; each knows only its own, and sees it slow."""

    of_neighbours = True

    def __init__(self, others: list[tuple[PracticeServer, list[Flow]]]) -> None:
        self._others = others

    def changes(self) -> int:
        return sum(len(server.influences) + sum(f.changes() for f in flows) for server, flows in self._others)

    def others(self, first_us: int, minutes: int) -> Others | None:
        total = Others.none(minutes)
        for server, flows in self._others:
            total = total + Others(*asked_for(server, first_us, minutes, requests_of_calls))
            for state, a, count in spans(server, first_us, minutes):
                at = a + np.arange(count, dtype=np.int64) * MINUTE_US
                volume = Volume.of(state.hardware.data_volume)
                total.add_at(
                    (a - first_us) // MINUTE_US,
                    Others.of_pages((state.background(at) + state.now.background_reads_per_s), volume),
                )
            for flow in flows:
                if (more := flow.others(first_us, minutes)) is not None:
                    total = total + more
        return total


def requests_of_calls(state: State) -> Array:
    """Requests to the data volume, seconds on its channels and at its gate, of one call of each statement."""
    volume = Volume.of(state.hardware.data_volume)
    rows = []
    for v in state.visits.values():
        pages, chunks = v.random_reads + v.swap_reads + v.evict_writes, v.chunk_reads + v.temp_reads
        size = (v.chunk_s - volume.latency_s / 2) * volume.stream_bytes_per_s
        gate = pages * volume.gate_s() + chunks * volume.gate_s(size)
        rows.append((pages + chunks, pages * volume.latency_s + chunks * v.chunk_s, gate))
    return np.array(rows).T
