"""Figures in the units a person would say: durations, sizes, shares, times of day."""

from __future__ import annotations

import math
from collections.abc import Sequence
from datetime import UTC, datetime


def duration(seconds: float) -> str:
    """A duration with three figures in the unit a person would say."""
    if seconds < 0:
        return "−" + duration(-seconds)
    for limit, factor, unit in (
        (1e-3, 1e6, "µs"),
        (1.0, 1e3, "ms"),
        (120.0, 1.0, "s"),
        (7200.0, 1 / 60, "min"),
    ):
        if seconds < limit:
            return f"{_three(seconds * factor)} {unit}"
    return f"{_three(seconds / 3600)} h" if seconds < 172_800 else f"{_three(seconds / 86_400)} days"


def size(count: float) -> str:
    """Bytes in kB, MB, GB (powers of ten)."""
    for limit, factor, unit in ((1e3, 1.0, "B"), (1e6, 1e3, "kB"), (1e9, 1e6, "MB"), (1e12, 1e9, "GB")):
        if count < limit:
            return f"{_three(count / factor)} {unit}"
    return f"{_three(count / 1e12)} TB"


def binary_size(count: float) -> str:
    """Bytes in KiB, MiB, GiB (powers of two), as settings are written: "8 MiB"."""
    for limit, factor, unit in ((2**10, 1, "B"), (2**20, 2**10, "KiB"), (2**30, 2**20, "MiB"), (2**40, 2**30, "GiB")):
        if count < limit:
            return f"{count / factor:.4g} {unit}"
    return f"{count / 2**40:.4g} TiB"


def share(part: float) -> str:
    """A share in percent; one that is not quite all is not rounded to all."""
    if 0.995 <= part < 1:
        return "over 99%"
    return f"{part:.0%}" if part >= 0.095 else f"{part:.1%}"


def counted(number: int, noun: str) -> str:
    """A number of things whose plural ends in s: "1 session", "12 sessions"."""
    return f"{number:,} {noun}{'' if number == 1 else 's'}"


def listed(names: Sequence[str], most: int) -> str:
    """ "a, b and 3 more"."""
    more = len(names) - most
    return ", ".join(names[:most]) + (f" and {more} more" if more > 0 else "")


def clock(at_us: int) -> str:
    """Hour and minute in UTC."""
    return datetime.fromtimestamp(at_us / 1e6, UTC).strftime("%H:%M")


def day_clock(at_us: int) -> str:
    """Day and minute in UTC."""
    return datetime.fromtimestamp(at_us / 1e6, UTC).strftime("%-d %b %H:%M")


def _three(value: float) -> str:
    if value == 0:
        return "0"
    digits = max(0, 2 - math.floor(math.log10(abs(value))))
    return f"{value:,.{min(digits, 3)}f}"


def amount(value: float) -> str:
    """A count as a person says it: three figures, and "thousand", "million" or "thousand million" from ten thousand on."""
    for least, word in ((1e9, "thousand million"), (1e6, "million"), (1e4, "thousand")):
        if abs(value) >= least:
            return f"{_three(value / (1e3 if word == 'thousand' else least))} {word}"
    return _three(value)


def figure(value: float, unit: str) -> str:
    """A figure in the unit a person would say."""
    if unit == "s":
        return duration(value)
    if unit in ("B", "B/s"):
        return size(value) + ("/s" if unit.endswith("/s") else "")
    if unit == "share":
        return share(value)
    text = f"{value:,.0f}" if abs(value) >= 100 else f"{value:.3g}"
    return f"{text} {unit}".strip()
