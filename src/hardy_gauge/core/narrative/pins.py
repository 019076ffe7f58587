"""What is said of pinned plans."""

from __future__ import annotations

from collections.abc import Sequence

from hardy_gauge.core.figures.formatting import counted, duration, share
from hardy_gauge.core.plans.pins import PinFacts, PinState, state_of

NOT_ABLE = "{server} has no way to pin a plan: its planner chooses at every call, or as its settings say."


def pins_sentence(server: str, states: Sequence[PinState]) -> str:
    """How many pins there are, and how many of them deserve a look."""
    if not states:
        return f"No plan is pinned on {server}: its planner chooses for every statement."
    told = [(sum(one == state for one in states), words) for state, words in (
        ("no longer helps", "no longer helping"), ("not used", "not used"), ("chosen anyway", "chosen by the planner anyway"), ("no calls", "not called"),
    )]  # fmt: skip
    found = [f"{number} {words}" for number, words in told if number]
    many = f"{counted(len(states), 'plan')} {'is' if len(states) == 1 else 'are'} pinned on {server}"
    return f"{many}: {', '.join(found)}." if found else f"{many}; none of them is known to do harm."


def pin_words(pin: PinFacts) -> str:
    """What one pin does today, and how that is known."""
    state = state_of(pin)
    if state == "no calls":
        return "The statement was not called in this time, so nothing can be said of its pin."
    if state == "not used":
        used = share(pin.with_it / pin.calls)
        return (
            f"{used} of the calls used it: the server cannot make this plan any more, as when an index of it is gone."
        )
    if state == "chosen anyway":
        return (
            "The planner would choose the same plan today without the pin; the pin only keeps it from changing to another."
            + _beside(pin)
        )
    return _measured(pin) + _estimated(pin)


def _beside(pin: PinFacts) -> str:
    if pin.now_s is None or pin.other_s is None:
        return ""
    return f" A call takes {duration(pin.now_s)}; with the plan used before it took {duration(pin.other_s)}."


def _measured(pin: PinFacts) -> str:
    now = "A call with it takes an unknown time" if pin.now_s is None else f"A call with it takes {duration(pin.now_s)}"
    known = []
    if pin.other_s is not None:
        known.append(f"with the plan used before it took {duration(pin.other_s)}")
    if pin.first_s is not None:
        known.append(f"in the first day of the pin it took {duration(pin.first_s)}")
    return f"{now}; {', '.join(known)}." if known else f"{now}; what it took before the pin is not recorded."


def _estimated(pin: PinFacts) -> str:
    if pin.cheaper is None:
        return " What the planner would choose without it is not known."
    return f" Without it the planner would choose another, at {share(pin.cheaper)} of the cost by its own estimate."
