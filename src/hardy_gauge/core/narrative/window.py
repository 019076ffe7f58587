"""What is said of a focus: in which steps it is drawn, and how far back is kept."""

from __future__ import annotations

from hardy_gauge.core.figures.formatting import duration


def resolution_words(step_us: int, sample_days: int, minute_days: int) -> str:
    """ "Figures are drawn in steps of 60.0 s. Looks at sessions are kept for 40 days, minutes of figures for 400."."""
    return (
        f"Figures are drawn in steps of {duration(step_us / 1e6)}. Looks at sessions are kept for {sample_days} days, "
        f"minutes of figures for {minute_days}."
    )
