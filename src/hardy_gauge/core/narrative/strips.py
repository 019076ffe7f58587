"""What the strips say."""

from __future__ import annotations

from collections.abc import Sequence

from hardy_gauge.core.figures.formatting import clock, counted, duration, figure
from hardy_gauge.core.strips.band import Band
from hardy_gauge.core.strips.lag import LagCorrelation
from hardy_gauge.core.time.span import MINUTE_US, Span


def band_missing(title: str, owner: str) -> str:
    return f"{owner} did not report {title} in this window"


def strips_sentence(bands: Sequence[Band], span: Span) -> str:
    """Which band left its usual range furthest, and when."""
    if not bands:
        return "Choose figures below: they are drawn over one time axis."
    worst: tuple[float, Band, int] | None = None
    for band in bands:
        for place, (value, low, high) in enumerate(zip(band.values, band.low, band.high, strict=True)):
            if value is None or low is None or high is None or high <= low:
                continue
            beyond = max(value - high, low - value) / (high - low)
            if beyond > 0 and (worst is None or beyond > worst[0]):
                worst = beyond, band, place
    if worst is None:
        return f"{counted(len(bands), 'band')}; none left its usual range, as far as one is known."
    _, band, place = worst
    step_us = (span.until_us - span.since_us) // max(len(band.values), 1)
    at_us = (span.since_us + place * step_us) // MINUTE_US * MINUTE_US
    side = "above" if (band.values[place] or 0.0) > (band.high[place] or 0.0) else "below"
    return (
        f"{band.title[:1].upper()}{band.title[1:]} of {band.owner} left its usual range furthest: {figure(band.values[place] or 0.0, band.unit)} at {clock(at_us)}, {side} "
        f"the usual {figure(band.low[place] or 0.0, band.unit)} to {figure(band.high[place] or 0.0, band.unit)}."
    )


def against_words(first: Band, second: Band, known: LagCorrelation | None, step_us: int) -> str:
    """How far the second follows the first, after how long, and whether that is more than chance."""
    one, other = f"{first.title} of {first.owner}", f"{second.title} of {second.owner}"
    if known is None:
        return f"{one} and {other}: cannot tell, too little of both is known in this window or one does not vary."
    if abs(known.strongest) <= known.noise:
        return f"{one} and {other} go together no more than two unrelated figures would ({known.strongest:+.2f}; chance reaches {known.noise:.2f})."
    way = "goes up with" if known.strongest > 0 else "goes down as"
    when = (
        "at the same time"
        if known.best == 0
        else f"{duration(abs(known.best) * step_us / 1e6)} {'later' if known.best > 0 else 'earlier'}"
    )
    more = "" if known.strongest > 0 else " goes up"
    return f"{other} {way} {one}{more}, {when}: correlation {known.strongest:+.2f}, where chance reaches {known.noise:.2f}."
