"""What a restart costs: how long the buffer cache takes to be read again."""

from __future__ import annotations

from hardy_gauge.core.capacity.aid import Lacking, SizingAid
from hardy_gauge.core.capacity.known import Known
from hardy_gauge.core.diagnosis.fact import Fact
from hardy_gauge.core.figures.formatting import duration, size

TITLE = "What a restart costs"


def restart_aid(known: Known) -> SizingAid | Lacking:
    """At the pace of the data volume: what was bought, or what it gives to one who reads."""
    cache, pace = known.size("buffer_cache_bytes"), known.read_pace
    if cache is None or not pace:
        return Lacking(TITLE, "the buffer cache, and bytes and time of the reads of its data volume are needed")
    again_s = cache / pace
    facts = [
        Fact("buffer cache", cache, "B", "settings"),
        Fact("pace at which the data volume reads", pace, "B/s", "figures"),
        Fact("warm again", again_s, "s", "the formula"),
    ]
    return SizingAid(
        "restart", TITLE,
        f"A cache of {size(cache)} is full again after {duration(again_s)} where one page is read after the other; calls are slower all that time.",
        facts, "buffer cache ÷ (bytes read ÷ time of these reads)", "common practice",
        "setting/buffer_cache_bytes",
        ["Many sessions that read at once fill it sooner, and so do pages that the system's own cache still holds; a cache that is never full needs less."],
    )  # fmt: skip
