"""What a condition is served by, and how much it selects, in words."""

from __future__ import annotations

from collections.abc import Sequence

from hardy_gauge.core.figures.formatting import share
from hardy_gauge.core.sql.selectivity import Selectivity

WRONG = 10.0  # times, from which on an expectation is called wrong (common practice: an order of magnitude)


def could_words() -> str:
    return "an index on this column could serve it; none does"


def served_words(index: str, before: Sequence[str], narrows: bool) -> str:
    """ "served by loan_item", "checked in loan_item, which the conditions do not narrow so far: nothing is asked of item_id"."""
    if narrows:
        return f"served by {index}" + (f" after {', '.join(before)}" if before else "")
    return f"checked in {index}, which the conditions do not narrow so far: it begins with {', '.join(before)}"


def not_counted_words(why: str) -> str:
    """Why no true share is known: of several ``tables``, a ``server`` that cannot count, an ``empty`` table, a ``file``."""
    return {
        "tables": "a condition between tables is not counted",
        "server": "the server is not reached in a way in which rows can be counted",
        "empty": "no row was drawn",
        "file": "it came in a file, and what its planner knows did not",
    }[why]


def counted_words(rows: int, pages: int) -> str:
    """In which rows a share was counted."""
    return f"of {rows:,} rows in {pages:,} pages drawn at random" if pages else "of the rows that came when it was run"


def selectivity_sentence(server: str, rows: Sequence[Selectivity]) -> str:
    """Which condition the planner is most wrong about."""
    if not rows:
        return "The statement has no condition that can be read."
    known = [(max(one.factor, 1 / one.factor), one) for one in rows if one.factor]
    if not known:
        return f"What the planner of {server} expects of each condition; how much each selects in truth is not known."
    worst, one = max(known, key=lambda found: found[0])
    if worst < WRONG or one.expected is None or one.counted is None:
        near = f", within a factor of {worst:.2g}" if worst >= 1.05 else ""
        return f"The planner of {server} expects of its conditions what they select{near}."
    whose = "" if one.for_values else " for any value"
    return (
        f"The planner of {server} is wrong by a factor of {worst:,.0f} about {one.text}: it expects {part_words(one.expected)}{whose}, "
        f"and {part_words(one.counted.share)} fits."
    )


def part_words(part: float) -> str:
    """ "12% of the rows", "1 row in 5,000", "no row"."""
    if not part:
        return "no row"
    return f"{share(part)} of the rows" if part >= 0.01 else f"1 row in {1 / part:,.0f}"
