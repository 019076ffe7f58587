"""Spans of a recording that are not as they should be, from when they begin to when they end: gaps, pauses, parts left out."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field

from hardy_gauge.capture.batch import Trouble


@dataclass
class OpenSpans:
    """``open`` are those that go on, by kind; ``stored`` gives the list of what is to be stored next."""

    stored: Callable[[], list[Trouble]]
    open: dict[str, Trouble] = field(default_factory=dict)

    def notice(self, kind: str, now_us: int, reason: str, since_us: int | None = None) -> None:
        """Begin a span of this kind when there is a reason, and end it when there is none or another."""
        known = self.open.get(kind)
        over = known is not None and known.reason != reason and (kind != "gap" or not reason)
        if known is not None and over:
            known.to_us = now_us
            self.stored().append(self.open.pop(kind))
        if reason and kind not in self.open:
            self.open[kind] = Trouble(kind, now_us if since_us is None else since_us, None, reason)
            self.stored().append(self.open[kind])
