"""What came out when two texts were run beside each other."""

from __future__ import annotations

from hardy_gauge.core.figures.formatting import counted, duration
from hardy_gauge.core.trials.compare import Ratio

TRIFLE = 0.05


def proof_sentence(
    same: str, determined: bool, calls: int, rows: int, empty: int, differing: int, ratio: Ratio | None, old_s: float, new_s: float
) -> str:  # fmt: skip
    """Both answers in one sentence: the rows, then the time."""
    of_all = f"{counted(calls, 'call')} with {counted(rows, 'row')} in all"
    if same == "same":
        told = f"Both texts gave the same rows in {of_all}"
        if empty == calls:
            told = f"Neither text gave a row in {counted(calls, 'call')}, which shows nothing of what they give"
    elif same == "another order":
        told = f"Both texts gave the same rows in {of_all}, but not in the same order"
    elif not determined:
        told = f"The rows differ in {differing} of {counted(calls, 'call')}; the old text does not determine its rows either"
    else:
        told = (
            f"The texts do not give the same rows: they differ in {differing} of {counted(calls, 'call')}"
            if differing
            else "The texts do not give the same columns"
        )
    return f"{told}. {time_words(ratio, old_s, new_s)}"


def time_words(ratio: Ratio | None, old_s: float, new_s: float) -> str:
    """How long each call took, and the ratio with its interval."""
    each = f"{duration(new_s)} a call instead of {duration(old_s)}"
    if ratio is None:
        return f"The new text takes {each}."
    interval = f"{ratio.low:.2g} to {ratio.high:.2g} times the time"
    if ratio.high < 1 - TRIFLE:
        return f"The new text is faster: {each}, {interval}."
    if ratio.low > 1 + TRIFLE:
        return f"The new text is slower: {each}, {interval}."
    return f"No difference in time is shown: {each}, {interval}."
