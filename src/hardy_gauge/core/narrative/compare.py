"""What a comparison says."""

from __future__ import annotations

from collections.abc import Sequence

from hardy_gauge.core.compare.sheet import Explained, Figure, Side, Unlike
from hardy_gauge.core.figures.formatting import clock, counted, day_clock
from hardy_gauge.core.narrative.comparison import short, times
from hardy_gauge.core.time.span import Span

TRIFLE = 0.02
PART_WORDS = {"calls": "there are more calls", "mix": "other statements are called", "per_call": "calls take longer"}
LESS_WORDS = {
    "calls": "there are fewer calls",
    "mix": "other statements are called",
    "per_call": "calls take less long",
}


def span_words(span: Span) -> str:
    """ "27 Nov 12:43 to 13:43"."""
    until = day_clock(span.until_us)
    since = day_clock(span.since_us)
    same_day = since.rsplit(" ", 1)[0] == until.rsplit(" ", 1)[0]
    return f"{since} to {clock(span.until_us) if same_day else until}"


def comparison_notes(left: Span, right: Span, missing: Sequence[Sequence[str]]) -> list[str]:
    """What makes the sides unlike before they are compared; ``missing`` are servers of each side that were not recorded."""
    notes = [] if left.seconds == right.seconds else ["The two windows are not equally long."]
    for side, names in zip(("left", "right"), missing, strict=True):
        if names:
            notes.append(f"Not recorded on the {side}: {', '.join(names)}.")
    return notes


def comparison_sentence(
    left: Side, right: Side, load: Figure | None, explained: Explained | None, unlike: list[Unlike]
) -> str:
    """How much more or less the right side had to do, why, and how much else is not the same."""
    if not left.seconds or not right.seconds:
        empty = left if not left.seconds else right
        return f"Nothing was recorded of {empty.words}, so it cannot be compared."
    told = f"{right.words} against {left.words}: "
    if load is not None and load.ratio is not None:
        told += f"{times(load.ratio)} the active sessions ({times(load.low or 0)} to {times(load.high or 0)})"
    elif explained is not None and explained.left > 0:
        told += f"{times(explained.right / explained.left)} the active sessions"
    else:
        told += "the active sessions cannot be compared"
    return told + why_words(explained) + unlike_words(unlike) + "."


def why_words(explained: Explained | None) -> str:
    """ ", most of it because calls take longer; SELECT due FROM … adds 1.2 sessions"."""
    if explained is None or abs(explained.whole) < TRIFLE * max(explained.left, explained.right, 1e-9):
        return ""
    more = explained.whole > 0
    parts = {"calls": explained.calls, "mix": explained.mix, "per_call": explained.per_call}
    name, _ = max(parts.items(), key=lambda one: one[1] if more else -one[1])
    words = f", most of it because {(PART_WORDS if more else LESS_WORDS)[name]}"
    first = next((one for one in explained.parts if (one.whole > 0) == more), None)
    if first is None:
        return words
    return f"{words}; {short(first.text)} {'adds' if more else 'takes away'} {abs(first.whole):.3g} of {abs(explained.whole):.3g} sessions"


def unlike_words(unlike: list[Unlike]) -> str:
    if not unlike:
        return ""
    kinds = {kind: sum(one.kind == kind for one in unlike) for kind in ("setting", "schema", "plan", "host")}
    nouns = {"setting": "setting", "schema": "table or index", "plan": "plan", "host": "host figure"}
    plural = {"schema": "tables or indexes"}
    said = [
        (f"{count} {plural[kind]}" if kind in plural and count != 1 else counted(count, nouns[kind]))
        for kind, count in kinds.items()
        if count
    ]
    return f". {' and '.join(said) if len(said) < 3 else ', '.join(said)} {'is' if len(unlike) == 1 else 'are'} not the same"
