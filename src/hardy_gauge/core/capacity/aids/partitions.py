"""Partitions of the buffer cache: one below a gigabyte, several of at least one each where many sessions touch different pages."""

from __future__ import annotations

import math

from hardy_gauge.core.capacity.aid import Lacking, SizingAid
from hardy_gauge.core.capacity.known import Known
from hardy_gauge.core.diagnosis.fact import Fact
from hardy_gauge.core.figures.formatting import counted, figure, size

TITLE = "Partitions of the buffer cache"
LEAST_BYTES = 2**30  # of one


def partitions_aid(known: Known) -> SizingAid | Lacking:
    """As many as are at work, of at least a gigabyte each."""
    cache, running = known.size("buffer_cache_bytes"), known.figures.get("active_sessions")
    now = known.number("buffer_cache_partitions")
    if cache is None or running is None or now is None:
        return Lacking(TITLE, "the server reports no such setting")
    wanted = float(max(1, min(math.floor(cache / LEAST_BYTES), math.ceil(running.high))))
    facts = [
        Fact("buffer cache", cache, "B", "settings"),
        Fact("at work in 95 minutes of 100", running.high, "", "figures"),
        Fact("partitions", now, "", "settings", wanted),
    ]
    remedy, each = None, f"{counted(int(now), 'partition')} of {size(cache / now)} each"
    if wanted > now:
        sentence = f"A cache of {size(cache)} with {figure(running.high, '')} at work wants {counted(int(wanted), 'partition')}; it has {figure(now, '')}."
        remedy = known.change(
            "buffer_cache_partitions", wanted, "More partitions of the buffer cache", "It helps only where sessions wait for latches of the cache.", in_bytes=False,
        )  # fmt: skip
    elif wanted < now:
        sentence = f"{each}: more than {figure(running.high, '')} at work need, which costs little."
    else:
        sentence = f"{each}: as many as a cache of {size(cache)} wants with {figure(running.high, '')} at work."
    return SizingAid(
        "partitions", TITLE, sentence, facts, "the least of cache ÷ 1 GiB and sessions at work, at least one", "common practice",
        "setting/buffer_cache_bytes", ["A load of one session wants one."], remedy,
    )  # fmt: skip
