"""A pinned plan that no longer helps: the data outgrew it, it cannot be made any more, or the planner would choose it anyway."""

from __future__ import annotations

from hardy_gauge.core.diagnosis.building import Unasked, costs, remedy, statement_of, time_of, warns
from hardy_gauge.core.diagnosis.fact import Fact
from hardy_gauge.core.diagnosis.finding import Finding, Subject
from hardy_gauge.core.evidence.evidence import Evidence, Source, Unknown
from hardy_gauge.core.plans.pins import PinFacts, PinState, state_of
from hardy_gauge.core.time.span import DAY_US

LEAST_S = 0.01  # of active sessions: less is not worth anybody's time
ANYWAY_AFTER_US = (
    7 * DAY_US
)  # until then it may have been pinned to keep the planner from leaving a plan that it chooses today
SURE = {"no longer helps": 0.8, "not used": 0.9, "chosen anyway": 0.9}
TITLES = {
    "no longer helps": "A pinned plan no longer helps",
    "not used": "A pinned plan is not used: the server cannot make it any more",
    "chosen anyway": "A pin is not needed any more: the planner would choose the same plan",
}


class PinUnhelpful(Unasked):
    """Measured time by plan goes before the planner's estimate, which a person has overruled."""

    cause = "pin_unhelpful"
    needs: tuple[Source, ...] = ("pins", "statements", "samples")

    def examine(self, evidence: Evidence) -> list[Finding]:
        assert not isinstance(evidence.pins, Unknown)
        found = []
        for pin in evidence.pins:
            state = state_of(pin)
            young = pin.since_us is not None and evidence.focus.until_us - pin.since_us < ANYWAY_AFTER_US
            if state in TITLES and not (state == "chosen anyway" and young):
                found.append(_finding(evidence, pin, state))
        return found


def _finding(evidence: Evidence, pin: PinFacts, state: PinState) -> Finding:
    work, spent = statement_of(evidence, pin.fingerprint), time_of(evidence, pin.fingerprint)
    subject = Subject("statement", pin.fingerprint, work.text if work is not None else pin.text)
    facts = [Fact("share of its calls by the pinned plan", pin.with_it / pin.calls, "share", "statement counters")]
    if pin.now_s is not None:
        facts.append(Fact("time per call by the pinned plan", pin.now_s, "s", "statement counters"))
    if pin.first_s is not None:
        facts.append(Fact("time per call in the first day of the pin", pin.first_s, "s", "statement counters"))
    if pin.other_s is not None:
        facts.append(Fact("time per call by the plan before it", pin.other_s, "s", "statement counters"))
    if pin.cheaper is not None:
        facts.append(Fact("cost of the plan without the pin ÷ with it", pin.cheaper, "", "the planner"))
    back = remedy(
        "pin", "Take the pin back", "The planner chooses anew at the next call; look at the time per call afterwards.",
    )  # fmt: skip
    if state == "no longer helps" and spent is not None and spent.active_sessions >= LEAST_S:
        return costs(evidence, PinUnhelpful.cause, TITLES[state], subject, spent, facts, [back], SURE[state])
    return warns(PinUnhelpful.cause, TITLES[state], subject, "note", facts, [back], SURE[state])
