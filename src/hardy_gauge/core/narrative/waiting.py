"""What is said of sessions that hold others up."""

from __future__ import annotations

from hardy_gauge.core.activity.waiting import IDLE, UNSEEN, Root
from hardy_gauge.core.figures.formatting import duration


def holdup_words(root: Root) -> str:
    """What a root does, how long others waited for it, and how many at once."""
    doing = {
        IDLE: "does nothing in an open transaction",
        UNSEEN: "was not seen itself",
    }.get(root.doing, "works")
    longest = "" if root.idle_s is None else f", for {duration(root.idle_s)} at the longest"
    behind = f", up to {root.depth} one behind the other" if root.depth > 1 else ""
    return (
        f"{doing}{longest}; others waited {duration(root.waited_s)} for it, "
        f"{root.most} {'session' if root.most == 1 else 'sessions'} at once{behind}"
    )


def nobody_waited_words(looked: bool) -> str:
    """What is said where no waiting is shown; ``looked``: sessions were looked at in the span."""
    if looked:
        return "Nobody was seen waiting for another session."
    return "Sessions were not looked at, so who waited for whom is unknown."


def oldest_transaction_words(age_s: float, idle: bool) -> str:
    """How long it was open, and what it did."""
    return f"had a transaction open for {duration(age_s)} and {'did nothing in it' if idle else 'was working'}"
