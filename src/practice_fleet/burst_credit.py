"""The credit that a volume with a burst has saved up, minute by minute, from what its server asks of it."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np

from practice_fleet.flows.base import asked_for, spans
from practice_fleet.flows.storage import requests_of_calls
from practice_fleet.physics.burst import credit
from practice_fleet.physics.queueing import Array
from practice_fleet.scenario.hardware import HostSpec

if TYPE_CHECKING:
    from practice_fleet.server import PracticeServer

MINUTE_US = 60_000_000
DAY_US = 1440 * MINUTE_US


def bursting(host: HostSpec) -> HostSpec:
    """The host while its data volume may exceed its lasting limit."""
    volume = host.data_volume
    burst = volume.model_copy(update={"operations_per_s_limit": volume.burst_operations_per_s})
    return host.model_copy(update={"data_volume": burst})


def credit_left(server: PracticeServer, first_us: int, minutes: int) -> Array | None:
    """Operations of credit at the beginning of each minute; none where the volume has no burst.

    The credit is taken to be full at the midnight before the last one: longer ago it is not followed.
    """
    volume = server.cluster.host.data_volume
    if volume.burst_operations_per_s is None or volume.operations_per_s_limit is None:
        return None
    since = min(first_us, max(server.start_us, first_us // DAY_US * DAY_US - DAY_US))
    count = (first_us - since) // MINUTE_US + minutes
    asked = asked_for(server, since, count, requests_of_calls)[0]
    for state, at, n in spans(server, since, count):
        begin = (at - since) // MINUTE_US
        asked[begin : begin + n] += state.now.background_reads_per_s + state.background(
            at + np.arange(n, dtype=np.int64) * MINUTE_US
        )
    full = volume.burst_credit
    levels = credit(asked, volume.operations_per_s_limit, volume.burst_operations_per_s, full, full)
    return levels[:-1][count - minutes :]
