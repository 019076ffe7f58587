"""What a statement costs by its values, in words."""

from __future__ import annotations

from hardy_gauge.core.figures.formatting import counted, duration, share


def by_value_sentence(
    executions: int, with_values: int, places: int, none: bool = False, before: str = "", explained: float = 0.0,
    slow: tuple[str, float] = ("", 0.0), quick: tuple[str, float] = ("", 0.0),
) -> str:  # fmt: skip
    """``places`` is how many values the text has; ``none``: none of them is shown to matter."""
    if not executions:
        return "No single execution was recorded in this window, so that nothing is known by value."
    if not with_values:
        return (
            f"{_executions(executions)} recorded without values, so that nothing is known by value; a capture rule that keeps literals "
            "records them."
        )
    if not places:
        return "The text has no values."
    if none:
        return f"Of {counted(with_values, 'execution')} with their values, none of the values is shown to change what a call takes."
    if not before:
        return f"{_executions(with_values)} recorded with values, too few to tell what a call takes by value."
    return (
        f"Of {counted(with_values, 'execution')} with their values, the value after “{before}” explains {share(explained)} of the spread of the "
        f"times: {slow[0]}, {duration(slow[1])} at the median; {quick[0]}, {duration(quick[1])}."
    )


def _executions(number: int) -> str:
    return f"{counted(number, 'execution')} {'was' if number == 1 else 'were'}"
