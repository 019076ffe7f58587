"""Comparisons and sizes in the words a person would use."""

from __future__ import annotations

import math
from datetime import UTC, datetime


def times_reference(value: float, reference: float | None) -> str:
    """ "2.3× the reference", "as usual" within a tenth, "new" when the reference had none."""
    if reference is None or not math.isfinite(reference):
        return "no reference"
    if reference <= 0:
        return "new" if value > 0 else "as in the reference"
    ratio = value / reference
    if 0.9 <= ratio <= 1.1:
        return "as in the reference"
    if ratio >= 100:
        return f"{ratio:,.0f}× the reference"
    return f"{ratio:.2g}× the reference" if ratio < 10 else f"{ratio:.0f}× the reference"


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


def share(part: float) -> str:
    """A share in percent; one that is not quite all is not rounded to all."""
    if 0.995 <= part < 1:
        return "over 99%"
    return f"{part:.0%}" if part >= 0.095 else f"{part:.1%}"


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
