"""A reporting cluster: every statement of the coordinator is done in parts by its workers, and waits for the last."""

from __future__ import annotations

from collections.abc import Sequence
from typing import TYPE_CHECKING

import numpy as np

from practice_fleet.flows.base import Flow
from practice_fleet.physics.queueing import Array
from practice_fleet.server import MINUTE_US

if TYPE_CHECKING:
    from practice_fleet.history import History


class WorkerFlow(Flow):
    """Waits of a coordinator: a part takes its response ÷ the tasks that run beside each other; the slowest counts."""

    def __init__(self, workers: Sequence[History]) -> None:
        self.workers = workers

    def changes(self) -> int:
        return sum(len(history.server.influences) for history in self.workers)

    def waits(self, keys: list[str], first_us: int, minutes: int) -> Array | None:
        last_us = first_us + minutes * MINUTE_US
        slowest = np.zeros((len(keys), minutes))
        for history in self.workers:
            for block in history.blocks(first_us, last_us):
                at = (block.first_us - first_us) // MINUTE_US
                part = slice(at, at + block.minutes)
                for number, key in enumerate(keys):
                    if key in block.keys:
                        own = block.model.response[block.keys.index(key)] / block.state.visits[key].beside
                        slowest[number, part] = np.maximum(slowest[number, part], own)
        return slowest
