"""What a focus is: its ends, in which steps it is drawn, and what is kept."""

from __future__ import annotations

from dataclasses import dataclass

from hardy_gauge.core.narrative.window import resolution_words
from hardy_gauge.core.time.steps import step_of
from hardy_gauge.core.time.window import LONGEST_US, Window
from hardy_gauge.queries.reader import Reader
from hardy_gauge.store.limits import limits_of


@dataclass(frozen=True)
class Focus:
    """``longest_us`` is the longest there can be."""

    focus: str
    step_us: int
    longest_us: int
    words: str


def focus_of(reader: Reader, window: Window) -> Focus:
    step = step_of(window.focus)
    with reader.store.read() as session:
        kept = limits_of(session)
    return Focus(window.focus.iso(), step, LONGEST_US, resolution_words(step, kept.sample_days, kept.metric_days))
