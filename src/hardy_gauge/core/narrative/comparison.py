"""Words that compare: a figure with its reference, and what the reference rests on."""

from __future__ import annotations

import math
from collections.abc import Sequence
from datetime import UTC, datetime

from hardy_gauge.core.reference.typical_day import Typical
from hardy_gauge.core.time.span import DAY_US, MINUTE_US, Span, is_weekend
from hardy_gauge.core.time.window import Reference, Window

ALIKE = 0.1
CLEARLY = 2.0
NAMED = 3


def compared(value: float, reference: Typical | None, name: str = "the reference") -> str:
    """ "2.3× a typical day", "as usual" within the spread of the like spans, "new" where the reference had none."""
    if reference is None or not math.isfinite(reference.value):
        return "no reference"
    if reference.value <= 0:
        if value <= 0:
            return f"as {name}"
        return "not on most days" if reference.high > 0 else "new"
    ratio = value / reference.value
    if 1 - ALIKE <= ratio <= 1 + ALIKE or (reference.holds(value) and 1 / CLEARLY < ratio < CLEARLY):
        return "as usual" if name == "a typical day" else f"as {name}"
    return f"{times(ratio)} {name}"


def times(ratio: float) -> str:
    """ "2.3×", "17×", "1,200×"."""
    if ratio >= 100:
        return f"{ratio:,.0f}×"
    return f"{ratio:.2g}×" if ratio < 10 else f"{ratio:.0f}×"


def reference_note(window: Window, spans: Sequence[Span], troubled: int, without: Sequence[str] = ()) -> str:
    """What the focus is compared with, from how many spans, and ``without`` which servers."""
    note = _reference_sentence(window, spans, troubled)
    if not spans or not without:
        return note
    names = ", ".join(without) if len(without) <= NAMED else f"{len(without)} servers"
    return f"{note} Nothing earlier is known of {names}, so the reference is without {'them' if len(without) > 1 else 'it'}."


def _reference_sentence(window: Window, spans: Sequence[Span], troubled: int) -> str:
    if window.reference.kind == "server":
        known = f"Compared with {window.reference.server} over the same time."
        return known if spans else f"Nothing was recorded of {window.reference.server} in this time to compare with."
    if window.reference.kind == "window":
        return "Compared with the reference window." if spans else "Nothing was recorded in the reference window."
    if not spans:
        return "No earlier day was recorded at this time, so there is nothing typical to compare with yet."
    left = f"; {troubled} with known trouble left out" if troubled else ""
    count = (
        f"the median of {len(spans)} earlier {_kind(window, spans)}"
        if len(spans) > 1
        else f"one earlier {_kind(window, spans)}"
    )
    return f"Compared with a typical day: {count}{left}."


def _kind(window: Window, spans: Sequence[Span]) -> str:
    """ "Tuesdays", "weekdays", "weekend days" or "weeks", singular for one."""
    plural = len(spans) != 1
    if window.focus.seconds > DAY_US / 1e6:
        return "spans of as many days" if plural else "span of as many days"
    days = {datetime.fromtimestamp(span.since_us / 1e6, UTC).strftime("%A") for span in spans}
    if len(days) == 1:
        return next(iter(days)) + ("s" if plural else "")
    kind = "weekend day" if is_weekend(window.focus.since_us) else "weekday"
    return kind + ("s" if plural else "")


def reference_title(reference: Reference) -> str:
    """The short name of a reference, as a figure's caption."""
    return {"typical day": "typical", "window": "reference", "server": str(reference.server)}[reference.kind]


def short(text: str, most: int = 60) -> str:
    """A text on one line, cut at ``most`` characters."""
    line = " ".join(text.split())
    return line if len(line) <= most else f"{line[: most - 1]}…"


def ago_words(span: Span, now_us: int) -> str:
    """How a focus is named in a sentence: "in the last hour", "at this time"."""
    if now_us - span.until_us > 2 * MINUTE_US:
        return "in this window"
    minutes = round(span.seconds / 60)
    if minutes == 60:
        return "in the last hour"
    return f"in the last {minutes} minutes" if minutes < 120 else f"in the last {minutes / 60:.3g} hours"
