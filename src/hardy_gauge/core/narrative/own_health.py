"""What is said of the application's own health: each thing that is looked at, whether it is fine, and why not."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

from hardy_gauge.core.figures.formatting import day_clock, size
from hardy_gauge.core.narrative.capture import nothing_recorded
from hardy_gauge.core.time.span import HOUR_US

State = Literal["fine", "doubtful", "wrong", "not used"]
LITTLE_DISK, LITTLE_SHARE = 2_000_000_000, 0.03
NO_DISK = 200_000_000
STANDS_STILL_S = 10.0
LATE = 1.5  # a backup is late when the last is older than so many times the interval


@dataclass(frozen=True)
class Check:
    """One thing that is looked at."""

    name: str
    state: State
    words: str


def health_sentence(first: Check | None) -> str:
    """``first`` is the worst that was found, None where nothing was."""
    return "The application does its work." if first is None else f"{first.words[0].upper()}{first.words[1:]}."


def store_check(failure: str, since_us: int) -> Check:
    """Whether the store can be written."""
    if failure:
        return Check("store", "wrong", nothing_recorded(failure, since_us))
    return Check("store", "fine", "the store is written")


def disk_check(free: int, total: int) -> Check:
    """Whether there is room left where the store is."""
    words = f"{size(free)} of the disk are free"
    if free < NO_DISK:
        return Check("disk", "wrong", f"only {words}")
    if free < LITTLE_DISK or free < LITTLE_SHARE * total:
        return Check("disk", "doubtful", f"only {words}")
    return Check("disk", "fine", words)


def recording_check(silent_s: float | None) -> Check:
    """Whether servers are looked at; ``silent_s`` since the last look was begun, None where nothing is recorded here."""
    if silent_s is None:
        return Check("recording", "not used", "no server is recorded")
    if silent_s > STANDS_STILL_S:
        return Check("recording", "wrong", f"no server was looked at for {silent_s:.0f} s")
    return Check("recording", "fine", "looks at servers are begun each second")


def keyring_check(accounts: int, wrong: str) -> Check:
    """Whether the secrets of the keyring can be read; ``wrong`` is why one cannot."""
    if not accounts:
        return Check("keyring", "not used", "the keyring is empty")
    if wrong:
        return Check("keyring", "wrong", wrong)
    return Check("keyring", "fine", "every secret of the keyring can be read")


def damage_check(count: int) -> Check:
    """Whether stored blocks are damaged."""
    if count:
        blocks = "one stored block is" if count == 1 else f"{count:,} stored blocks are"
        return Check("blocks", "doubtful", f"{blocks} damaged and left out; see Storage")
    return Check("blocks", "fine", "of the stored blocks that were read, none is damaged")


def backups_check(every_hours: int, last_us: int | None, now_us: int) -> Check:
    """Whether backups are made when they are due."""
    if not every_hours:
        return Check("backups", "not used", "no backups are scheduled")
    if last_us is None:
        return Check("backups", "doubtful", "no backup was made yet")
    words = f"the last backup is of {day_clock(last_us)}"
    late = now_us - last_us > LATE * every_hours * HOUR_US
    return Check("backups", "doubtful" if late else "fine", f"{words}, which is late" if late else words)
