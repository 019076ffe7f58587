"""Bands: which figure of which object a strip shows, as it stands in an address, and what it looks like over time."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal, get_args

from hardy_gauge.core.changes.mark import Mark
from hardy_gauge.errors import InvalidInput

BandKind = Literal["figure", "family", "service", "statement", "cluster"]
KINDS: tuple[BandKind, ...] = get_args(BandKind)
MOST_BANDS = 20
EXPECTED = (
    "a band is figure:SERVER:NAME, family:SERVER:WAIT FAMILY, service:SERVER:SERVICE, statement:SERVER:FINGERPRINT:FIGURE "
    "or cluster:CLUSTER:NAME"
)
# what can be shown of a statement: title, unit, and the two columns it is made of ("" is time passed)
STATEMENT_FIGURES: dict[str, tuple[str, str, str, str]] = {
    "active": ("active sessions", "", "time_s", ""),
    "calls": ("calls", "/s", "calls", ""),
    "time": ("time per call", "s", "time_s", "calls"),
    "rows": ("rows examined per call", "rows", "rows_examined", "calls"),
    "returned": ("rows returned per call", "rows", "rows_returned", "calls"),
    "reads": ("pages read per call", "pages", "pages_read", "calls"),
    "errors": ("errors", "/s", "errors", ""),
}


@dataclass(frozen=True)
class BandKey:
    """``owner`` is a server or a cluster; ``name`` a figure, wait family, service or fingerprint; ``figure`` that of a statement."""

    kind: BandKind
    owner: str
    name: str
    figure: str = ""

    def text(self) -> str:
        return ":".join([self.kind, self.owner, self.name, *([self.figure] if self.figure else [])])


@dataclass(frozen=True)
class Band:
    """Arrays of one length by step; None where nothing was recorded. ``missing`` says why there is nothing at all."""

    key: str
    title: str
    owner: str
    unit: str
    values: Sequence[float | None]
    low: Sequence[float | None]
    high: Sequence[float | None]
    missing: str


@dataclass(frozen=True)
class Choice:
    """A band that can be added, in words."""

    key: str
    title: str
    group: str


@dataclass(frozen=True)
class Strips:
    """Bands over one time axis; ``neighbours`` are figures of what lies beside what is shown."""

    sentence: str
    focus: str
    at_us: Sequence[int]
    step_us: int
    bands: Sequence[Band]
    changes: Sequence[Mark]
    findings: Sequence[Mark]
    neighbours: Sequence[Choice]


def parse_band(text: str) -> BandKey:
    """InvalidInput says what a band looks like."""
    parts = text.split(":", 3)
    kind = next((one for one in KINDS if one == parts[0]), None)
    if kind is None or len(parts) < 3 or not all(parts):
        raise InvalidInput(f"band: {text!r} is none; {EXPECTED}", "band", "Unknown band")
    if kind != "statement":
        return BandKey(kind, parts[1], ":".join(parts[2:]))
    figure = parts[3] if len(parts) > 3 else "active"
    if figure not in STATEMENT_FIGURES:
        known = ", ".join(STATEMENT_FIGURES)
        raise InvalidInput(f"band: a statement has no figure {figure!r}; there are {known}", "band", "Unknown figure")
    return BandKey(kind, parts[1], parts[2], figure)


def parse_bands(texts: Sequence[str]) -> list[BandKey]:
    """Each once, in their order; InvalidInput where there are too many."""
    found = list(dict.fromkeys(parse_band(text) for text in texts))
    if len(found) > MOST_BANDS:
        raise InvalidInput(
            f"band: {len(found)} bands are too many to read; at most {MOST_BANDS}", "band", "Too many bands"
        )
    return found
