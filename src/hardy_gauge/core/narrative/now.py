"""What is said of this moment."""

from __future__ import annotations

from collections.abc import Sequence

from hardy_gauge.core.activity.now import ServerNow
from hardy_gauge.core.figures.formatting import counted, duration

WAITS_FOR_OTHERS, IDLE = "waiting for another session", "idle in a transaction"


def now_sentence(scope: str, servers: Sequence[ServerNow]) -> str:
    """How many sessions work, how many wait, for whom, and what has gone on longest."""
    seen = [one for one in servers if one.at_us is not None]
    if not seen:
        return f"The sessions of {scope} were not looked at yet, so what runs there now is unknown."
    by_state: dict[str, int] = {}
    for one in seen:
        for count in one.states:
            by_state[count.name] = by_state.get(count.name, 0) + count.count
    working, idle = by_state.get("working", 0), by_state.get(IDLE, 0)
    waiting = by_state.get("waiting", 0)
    told = f"On {scope} {counted(working, 'session')} {'works' if working == 1 else 'work'} now and {waiting} {'waits' if waiting == 1 else 'wait'}"
    if held := by_state.get(WAITS_FOR_OTHERS, 0):
        worst = max(seen, key=lambda one: next((c.count for c in one.states if c.name == WAITS_FOR_OTHERS), 0))
        where = f", most of them on {worst.server}" if len(seen) > 1 else ""
        told += f"; {held} more {'waits' if held == 1 else 'wait'} for another session{where}"
    if idle:
        told += f"; {idle} {'does' if idle == 1 else 'do'} nothing in an open transaction"
    longest = max(
        (one for one in seen if one.longest_s is not None), key=lambda one: one.longest_s or 0.0, default=None
    )
    if longest is not None and longest.longest_s:
        told += f". The longest call takes {duration(longest.longest_s)} so far" + (
            f", on {longest.server}" if len(seen) > 1 else ""
        )
    lost = [one.server for one in servers if one.at_us is None or one.error]
    return told + "." + (f" Not seen: {', '.join(lost[:4])}." if lost else "")
