"""The sizing aids, each in a file of its own: a function of what is known of a server gives the aid, or what is lacking for it."""

from __future__ import annotations

from collections.abc import Callable

from hardy_gauge.core.capacity.aid import Lacking, SizingAid
from hardy_gauge.core.capacity.aids.background_writes import background_aid
from hardy_gauge.core.capacity.aids.cache import cache_aid
from hardy_gauge.core.capacity.aids.log import log_aid
from hardy_gauge.core.capacity.aids.memory import memory_aid
from hardy_gauge.core.capacity.aids.partitions import partitions_aid
from hardy_gauge.core.capacity.aids.restart import restart_aid
from hardy_gauge.core.capacity.aids.sessions import sessions_aid
from hardy_gauge.core.capacity.aids.storage import storage_aid
from hardy_gauge.core.capacity.known import Known

AIDS: tuple[Callable[[Known], SizingAid | Lacking], ...] = (
    memory_aid,
    cache_aid,
    sessions_aid,
    log_aid,
    background_aid,
    partitions_aid,
    storage_aid,
    restart_aid,
)
