"""Whether a server is being recorded, and in words."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

from hardy_gauge.core.figures.formatting import clock, day_clock
from hardy_gauge.core.time.span import MINUTE_US

CaptureWord = Literal["recording", "stale", "failing", "waiting", "paused", "retired", "opened"]
STALE_US = 3 * MINUTE_US
# counters are told only by a second look at them
FIRST_FIGURES_US = 2 * MINUTE_US
FIRST_FIGURES = "come within two minutes"
# gaps that are ours and say nothing of the server
NOT_RUNNING, NOT_STORED = "capture was not running", "what was recorded could not be stored"


@dataclass(frozen=True)
class CaptureFacts:
    """How far the recording of a server has come; times in microseconds, 0 for never. ``why`` nothing new is recorded."""

    origin: Literal["probe", "bundle", "import"]
    mode: str
    why: str
    error: str
    recorded_until_us: int
    seen_us: int
    retired_us: int | None
    store_fails: str = ""
    store_fails_since_us: int = 0


def nothing_recorded(why: str, since_us: int) -> str:
    """That nothing is recorded of any server, since when and why."""
    return f"nothing is recorded since {clock(since_us)}: {why}"


def capture_words(facts: CaptureFacts, now_us: int) -> tuple[CaptureWord, str]:
    """What is done about a server, and in words."""
    until = day_clock(facts.recorded_until_us)
    if facts.retired_us is not None:
        return "retired", f"retired {day_clock(facts.retired_us)}"
    if facts.origin == "bundle":
        return "opened", f"from a bundle, until {until}"
    if facts.origin == "import":
        return "opened", f"imported from files, until {until}"
    if facts.mode == "reading":
        return "paused", facts.why or "nothing new is recorded, by its rule"
    if facts.store_fails:
        return "failing", nothing_recorded(facts.store_fails, facts.store_fails_since_us)
    if facts.error:
        since = f" since {clock(facts.seen_us)}" if facts.seen_us else ""
        return "failing", f"no answer{since}: {facts.error}"
    if not facts.recorded_until_us:
        return "waiting", f"its first figures {FIRST_FIGURES}" if facts.seen_us else "nothing recorded yet"
    if now_us - facts.recorded_until_us > STALE_US:
        return "stale", f"last recorded {clock(facts.recorded_until_us)}"
    return "recording", "recording"
