"""Figures of the user's own that are outside the limits they were given, or that give no value any more."""

from __future__ import annotations

from hardy_gauge.core.diagnosis.building import Unasked, remedy, warns
from hardy_gauge.core.diagnosis.fact import Fact
from hardy_gauge.core.diagnosis.finding import Finding, Signal, Subject
from hardy_gauge.core.evidence.evidence import Evidence, Source, Unknown
from hardy_gauge.core.evidence.sources import WatchedValues
from hardy_gauge.core.figures.formatting import figure

LASTING = 3  # minutes in a row: one value outside may be a moment


class WatchedFigure(Unasked):
    """One finding for the labels of one server that are outside, and one for what gives no value."""

    cause = "watched_figure"
    needs: tuple[Source, ...] = ("watched",)

    def examine(self, evidence: Evidence) -> list[Finding]:
        assert not isinstance(evidence.watched, Unknown)
        outside = [(one, since) for one in evidence.watched if (since := _outside_since(one)) is not None]
        found = [self._found(evidence, outside)] if outside else []
        silent = [one for one in evidence.watched if not one.values]
        if silent and not outside:
            found.append(self._silent(evidence, silent))
        return found

    def _found(self, evidence: Evidence, outside: list[tuple[WatchedValues, int]]) -> Finding:
        first = outside[0][0]
        others = f", and {len(outside) - 1} more are outside theirs" if len(outside) > 1 else ""
        side = "above" if _above(first) else "below"
        title = f"{first.title} is {figure(first.values[-1], first.unit)}, {side} its limit of {figure(_limit(first), first.unit)}{others}"
        facts = [Fact(one.title, one.values[-1], one.unit, "your own figures", _limit(one)) for one, _ in outside]
        look = remedy("rewrite", "Open the figure in Strips beside the load of its server", "Whoever gave the limit knows what must be done.")  # fmt: skip
        return warns(
            self.cause, title, Subject("server", evidence.server), "plan", facts, [look], 0.95,
            signal=Signal("moment", at_us=min(since for _, since in outside)),
        )  # fmt: skip

    def _silent(self, evidence: Evidence, silent: list[WatchedValues]) -> Finding:
        named = ", ".join(one.title for one in silent)
        look = remedy(
            "rewrite", "Try the query under Setup, Own figures", "Until it gives values, its limit is not watched."
        )
        title = (
            f"No value of {named}, which has a limit"
            if len(silent) == 1
            else f"No values of {named}, which have limits"
        )
        return warns(self.cause, title, Subject("server", evidence.server), "note", [], [look], 0.95)


def _is_outside(one: WatchedValues, value: float) -> bool:
    return (one.most is not None and value > one.most) or (one.least is not None and value < one.least)


def _outside_since(one: WatchedValues) -> int | None:
    """When the values began to be outside without a break until the last one; None where the last three are not all outside."""
    count = 0
    for value in reversed(one.values):
        if not _is_outside(one, value):
            break
        count += 1
    return one.times_us[-count] if count >= LASTING else None


def _above(one: WatchedValues) -> bool:
    return one.most is not None and one.values[-1] > one.most


def _limit(one: WatchedValues) -> float:
    limit = one.most if _above(one) else one.least
    assert limit is not None
    return limit
