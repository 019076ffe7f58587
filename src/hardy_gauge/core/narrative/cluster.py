"""What is said of a cluster."""

from __future__ import annotations

from collections.abc import Sequence

from hardy_gauge.core.cluster.rebalancing import TimeLeft
from hardy_gauge.core.cluster.sheet import MemberColumn
from hardy_gauge.core.figures.formatting import clock, counted, duration
from hardy_gauge.core.narrative.capture import NOT_RUNNING, NOT_STORED


def cluster_sentence(name: str, members: Sequence[MemberColumn], odd: Sequence[str]) -> str:
    """Whether all members answer and look alike; what is on the move, how far replicas are behind."""
    lost = [one.server for one in members if not one.answers]
    told = f"{name} has {counted(len(members), 'member')}"
    told += f"; {', '.join(lost)} {'does' if len(lost) == 1 else 'do'} not answer" if lost else ", and all answer"
    moving = sum(one.moving or 0 for one in members)
    if moving:
        told += f"; {counted(round(moving), 'partition')} {'is' if moving == 1 else 'are'} on the move"
        longest = max((one.left for one in members if one.left is not None), key=lambda one: one.value, default=None)
        told += f", done in about {left_words(longest)}" if longest is not None else ""
    behind = max((one for one in members if one.lag_s), key=lambda one: one.lag_s or 0.0, default=None)
    if behind is not None and (behind.lag_s or 0.0) >= 1:
        told += f"; {behind.server} is {duration(behind.lag_s or 0.0)} behind"
    return told + (f". {odd[0][:1].upper()}{odd[0][1:]}." if odd else ".")


def left_words(left: TimeLeft) -> str:
    """ "12 min (10 to 15 min)"."""
    high = duration(left.high) if left.high is not None else "no end in sight"
    return f"{duration(left.value)} ({duration(left.low)} to {high})"


def moving_words(moving: float | None, left: TimeLeft | None) -> str:
    """ "22, done in 11.0 min (10.0 min to 12.5 min)"."""
    if moving is None:
        return "not reported"
    if not moving:
        return "none"
    return f"{moving:.0f}" + (f", done in {left_words(left)}" if left is not None else "")


def gone_words(server: str, since_us: int, until_us: int | None, reason: str) -> str:
    """A member that did not answer for a while, or was not recorded for a reason of ours."""
    if reason.startswith((NOT_RUNNING, NOT_STORED)):
        until = f"from {clock(since_us)} to {clock(until_us)}" if until_us is not None else f"since {clock(since_us)}"
        return f"{server} was not recorded {until}: {reason}."
    if until_us is None:
        return f"{server} has not answered since {clock(since_us)}."
    return (
        f"{server} did not answer from {clock(since_us)} to {clock(until_us)}, {duration((until_us - since_us) / 1e6)}."
    )


def fewer_words(at_us: int, was: int, now: int) -> str:
    """The others saw fewer members, or more again."""
    if now < was:
        return f"At {clock(at_us)} {counted(was - now, 'member')} fewer {'was' if was - now == 1 else 'were'} seen: {now} instead of {was}."
    return f"At {clock(at_us)} {now} members were seen again."


def moved_words(since_us: int, until_us: int | None, most: float) -> str:
    """Partitions were copied for a while."""
    if until_us is None:
        return f"Since {clock(since_us)} up to {most:.0f} partitions are on the move."
    return f"From {clock(since_us)} to {clock(until_us)} partitions were on the move, {most:.0f} of them at most."
