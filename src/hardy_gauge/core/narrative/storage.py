"""What Storage says first."""

from __future__ import annotations

from collections.abc import Sequence

from hardy_gauge.core.figures.formatting import share, size


def storage_sentence(
    used_bytes: int,
    bytes_a_day: float,
    most_bytes: int | None,
    days_left: float | None,
    core_shares: Sequence[float | None],
    damaged: int = 0,
    failure: str = "",
) -> str:
    """What is wrong with the store, what recording takes of a core, what the store takes, how fast it grows and when a limit is reached."""
    if failure:
        return (
            f"{failure[0].upper()}{failure[1:]}. What was recorded before stays readable; recording goes on by itself."
        )
    if damaged:
        blocks = "One stored block is" if damaged == 1 else f"{damaged:,} stored blocks are"
        return f"{blocks} damaged and left out; {_use(used_bytes, bytes_a_day, most_bytes, days_left, core_shares)}"
    text = _use(used_bytes, bytes_a_day, most_bytes, days_left, core_shares)
    return f"{text[0].upper()}{text[1:]}"


def _use(
    used_bytes: int, bytes_a_day: float, most_bytes: int | None, days_left: float | None,
    core_shares: Sequence[float | None],
) -> str:  # fmt: skip
    known = [part for part in core_shares if part is not None]
    here = f"recording takes {share(sum(known))} of a core here. The" if known else "the"
    text = f"{here} store takes {size(used_bytes)} and grows by {size(bytes_a_day)} a day"
    if most_bytes is None:
        return f"{text}; no limit of size is set."
    if days_left is None:
        return f"{text}; the limit is {size(most_bytes)}."
    days = f"{days_left:,.0f}" if days_left >= 10 else f"{days_left:.1f}"
    return f"{text}; at this rate the limit of {size(most_bytes)} is reached in {days} days."
