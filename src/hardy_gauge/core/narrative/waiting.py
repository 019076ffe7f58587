"""What is said of sessions that hold others up."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from hardy_gauge.core.activity.holdup_sheet import TreeRow
from hardy_gauge.core.activity.waiting import IDLE, UNSEEN, WORKING, Root
from hardy_gauge.core.activity.waiting_trees import Lane, WaitingTree
from hardy_gauge.core.figures.formatting import counted, duration, share

SAID: Mapping[str, str] = {
    "not on most days": ", which they do not on most days",
    "new": ", which they did not on days like this",
    "no reference": "",
}
NOW_DOING: Mapping[str, str] = {
    IDLE: "does nothing in an open transaction",
    UNSEEN: "was not seen itself",
    WORKING: "works",
}
DOING: Mapping[str, str] = {
    IDLE: "did nothing in an open transaction",
    UNSEEN: "was not seen itself",
    WORKING: "was working",
}


def holdup_words(root: Root) -> str:
    """What a root does, how long others waited for it, and how many at once."""
    return _held_words(NOW_DOING[root.doing], root, "others")


def _held_words(doing: str, held: Root | WaitingTree, who: str) -> str:
    longest = "" if held.idle_s is None else f", for {duration(held.idle_s)} at the longest"
    behind = f", up to {held.depth} one behind the other" if held.depth > 1 else ""
    once = counted(held.most, "session")
    return f"{doing}{longest}; {who} waited {duration(held.waited_s)} for it, {once} at once{behind}"


def nobody_waited_words(looked: bool) -> str:
    """What is said where no waiting is shown; ``looked``: sessions were looked at in the span."""
    if looked:
        return "Nobody was seen waiting for another session."
    return "Sessions were not looked at, so who waited for whom is unknown."


def oldest_transaction_words(age_s: float, idle: bool) -> str:
    """How long it was open, and what it did."""
    return f"had a transaction open for {duration(age_s)} and {'did nothing in it' if idle else 'was working'}"


def tree_words(tree: WaitingTree) -> str:
    """What the root of a tree of waiting did, and how long others waited for it."""
    return _held_words(DOING[tree.doing], tree, f"{counted(tree.waiters, 'other')}")


def lane_words(lane: Lane) -> str:
    """What stands beside a lane."""
    if lane.depth == 0:
        return "held it"
    return f"waited {duration(lane.waited_s)}"


def holdups_sentence(
    scope: str, trees: Sequence[TreeRow], found: int, waited_s: float, looked_s: float, difference: str, filtered: bool
) -> str:
    """How long sessions waited for each other, against the reference, and who held most of it up."""
    if not looked_s:
        return f"Sessions of {scope} were not looked at in this window, so who waited for whom is unknown."
    what = " of what is asked for" if filtered else ""
    if not trees:
        return f"No session of {scope}{what} was seen waiting for another one in this window."
    first = trees[0]
    who = first.service or first.user
    whose = f"session {first.session}{f' of {who}' if who else ''} on {first.server}"
    often = f"{counted(found, 'holdup')}{what}; the longest took" if found > 1 else "One holdup took"
    return (
        f"Sessions of {scope} waited {duration(waited_s)} for each other{SAID.get(difference, f', {difference}')}. {often} {share(first.share)} of it: "
        f"{whose} {DOING[first.doing]}, and up to {counted(first.most, 'other')} waited for it at once."
    )
