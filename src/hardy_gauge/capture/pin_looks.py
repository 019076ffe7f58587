"""Looking at the plans that a server keeps, and each hour at what its planner would choose without them."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Any

from hardy_gauge.capture.backoff import Backoff
from hardy_gauge.core.sql.normalise import normalise
from hardy_gauge.probes import protocol as p

AGAIN_US = 3_600_000_000
Choice = dict[str, Any]


@dataclass
class PinLooks:
    """Of one server. A choice that the server refuses to tell is not known, and asked again an hour later."""

    probe: p.Probe
    backoff: Backoff
    _last: dict[str, Any] | None = None
    _choices: dict[tuple[str, str], tuple[int, Choice]] = field(default_factory=dict)

    def look(self, may_explain: bool, now_us: int) -> dict[str, Any] | None:
        """A document of all pins where something about them is new; None where not. ProbeError where the pins cannot be had."""
        probe = self.probe
        if not isinstance(probe, p.PinsPlans):
            return None
        pins = self.backoff.timed(probe.pins).pins
        found = {"pins": [self._row(pin, may_explain, now_us) for pin in pins]}
        self._choices = {(pin.statement, pin.plan_key): self._choices[pin.statement, pin.plan_key] for pin in pins
                         if (pin.statement, pin.plan_key) in self._choices}  # fmt: skip
        if found == self._last:
            return None
        self._last = found
        return found

    def _row(self, pin: p.Pin, may_explain: bool, now_us: int) -> dict[str, Any]:
        normal, key = normalise(pin.text), (pin.statement, pin.plan_key)
        asked_us, choice = self._choices.get(key, (0, {}))
        if may_explain and now_us - asked_us >= AGAIN_US:
            choice = self._choice(pin)
            self._choices[key] = now_us, choice
        about = {
            "fingerprint": normal.fingerprint,
            "text": normal.text,
            "plan_key": pin.plan_key,
            "since_us": pin.since_us,
        }
        return about | choice

    def _choice(self, pin: p.Pin) -> Choice:
        try:
            kept = self.backoff.timed(lambda: self.probe.explain(p.ExplainRequest(text=pin.text)))
            free = self.backoff.timed(lambda: self.probe.explain(p.ExplainRequest(text=pin.text, unpinned=True)))
        except (p.Refused, p.Unsupported):
            return {}
        return {"kept_key": kept.plan_key, "kept_cost": kept.cost, "free_key": free.plan_key, "free_cost": free.cost}
