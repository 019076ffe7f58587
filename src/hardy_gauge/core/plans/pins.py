"""What a pinned plan does today: whether it is used, and whether calls are better off with it."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

PinState = Literal["no calls", "not used", "chosen anyway", "no longer helps", "helps", "cannot tell"]
# in this order they deserve a look
STATES: tuple[PinState, ...] = ("no longer helps", "not used", "chosen anyway", "cannot tell", "no calls", "helps")
APART = 1.2  # times as long: less is within what a plan's calls differ by themselves from day to day
GROWN = 2.0
CHEAPER = 0.5


@dataclass(frozen=True)
class PinFacts:
    """One pin. ``calls`` are those of the statement in the focus, ``with_it`` those of them by the pinned plan; seconds are of a call:
    ``now_s`` by the pinned plan in the focus, ``first_s`` in the first day of the pin, ``other_s`` by the plan ``other_key`` that was
    used last before or beside it. ``kept_*`` and ``free_*`` are what the planner says of the pinned plan and of its own choice without
    the pin. None is not known.
    """

    fingerprint: str
    text: str
    plan_key: str
    since_us: int | None
    calls: float
    with_it: float
    now_s: float | None = None
    first_s: float | None = None
    other_key: str | None = None
    other_s: float | None = None
    kept_key: str | None = None
    kept_cost: float | None = None
    free_key: str | None = None
    free_cost: float | None = None

    @property
    def grown(self) -> float | None:
        """How many times as long a call takes as in the first day of the pin."""
        return self.now_s / self.first_s if self.now_s is not None and self.first_s else None

    @property
    def cheaper(self) -> float | None:
        """Cost of the planner's own choice ÷ cost of the pinned plan."""
        return self.free_cost / self.kept_cost if self.free_cost is not None and self.kept_cost else None


def state_of(pin: PinFacts) -> PinState:
    """What was measured goes before what the planner estimates: the planner was overruled by a person."""
    if not pin.calls:
        return "no calls"
    if pin.with_it < pin.calls / 2 or (pin.kept_key is not None and pin.kept_key != pin.plan_key):
        return "not used"
    if pin.free_key == pin.plan_key:
        return "chosen anyway"
    worse = pin.cheaper is not None and pin.cheaper <= CHEAPER
    if pin.grown is not None and pin.grown >= GROWN and worse:
        return "no longer helps"
    if pin.now_s is None or pin.other_s is None:
        return "cannot tell"
    if pin.now_s >= APART * pin.other_s:
        return "no longer helps"
    return "helps" if pin.other_s >= APART * pin.now_s else "cannot tell"
