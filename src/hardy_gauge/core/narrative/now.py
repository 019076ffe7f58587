"""What is said of this moment."""

from __future__ import annotations

from collections.abc import Sequence

from hardy_gauge.core.activity.now import HELD_UP, IDLE, WAITING, WORKING, ServerNow, SessionNow
from hardy_gauge.core.figures.formatting import counted, duration, listed, share

NAMED = 2


def now_sentence(scope: str, servers: Sequence[ServerNow]) -> str:
    """How many sessions work, how many wait, for whom, and what has gone on longest."""
    seen = [one for one in servers if one.at_us is not None]
    if not seen:
        return f"The sessions of {scope} were not looked at yet, so what runs there now is unknown."
    by_state: dict[str, int] = {}
    for one in seen:
        for count in one.states:
            by_state[count.name] = by_state.get(count.name, 0) + count.count
    working, idle = by_state.get(WORKING, 0), by_state.get(IDLE, 0)
    waiting = by_state.get(WAITING, 0)
    told = f"On {scope} {counted(working, 'session')} {'works' if working == 1 else 'work'} now and {waiting} {'waits' if waiting == 1 else 'wait'}"
    if held := by_state.get(HELD_UP, 0):
        worst = max(seen, key=lambda one: next((c.count for c in one.states if c.name == HELD_UP), 0))
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


def session_words(one: SessionNow) -> str:
    """ "waits for 12, 15 and 3 more", "waits: data read", "works", "index build, sorting 43%", "nothing, transaction open"."""
    if one.stage:
        return one.stage + (f" {share(one.done)}" if one.done is not None else "")
    if one.state == HELD_UP:
        return f"waits for {listed([str(number) for number in one.blockers], NAMED)}"
    if one.state == WAITING:
        return f"waits: {one.wait_family}"
    return "works" if one.state == WORKING else "nothing, transaction open"
