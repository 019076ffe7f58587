"""How much of its table a condition selects: what a planner expects, and what is counted in pages drawn at random.

The share of a condition is the ratio of two totals over pages, which are drawn as whole clusters of rows; its margin is that of a
ratio estimator over clusters (W. G. Cochran, *Sampling Techniques*, 1977, ch. 6.4 and 9A.2), with the correction for the part of the
table that was read.
"""

from __future__ import annotations

import math
import re
from dataclasses import dataclass

import sqlglot
from sqlglot import exp

Z95 = 1.959964
PARAMETER = re.compile(r"\$(\d+)")
# what a condition may be made of where it is counted on a server: nothing in it can call what somebody put there
PLAIN = (
    exp.Column, exp.Identifier, exp.Literal, exp.Boolean, exp.Null, exp.Neg, exp.Paren, exp.Tuple, exp.And, exp.Or, exp.Not, exp.EQ, exp.NEQ,
    exp.LT, exp.LTE, exp.GT, exp.GTE, exp.Between, exp.In, exp.Is, exp.Like, exp.ILike,
)  # fmt: skip


@dataclass(frozen=True)
class PageTotals:
    """Totals over ``pages`` of a table, of which ``part`` (0 to 1) was drawn: rows, rows that fit a condition, and the sums over pages of
    their squares and of their product.
    """

    part: float
    pages: float
    rows: float
    fitting: float
    rows_squared: float
    fitting_squared: float
    rows_by_fitting: float


@dataclass(frozen=True)
class Counted:
    """A share with its 95% margin, from ``rows`` in ``pages`` pages; the margin is 0 where all of the table was read."""

    share: float
    low: float
    high: float
    rows: int
    pages: int


@dataclass(frozen=True)
class Selectivity:
    """One condition: the share of rows that the planner expects (``for_values``: for the values in the text, otherwise for any), and
    the share that was counted, ``counted_how``; ``problem`` why one of them is not known.
    """

    text: str
    expected: float | None
    for_values: bool
    counted: Counted | None
    counted_how: str = ""
    problem: str = ""

    @property
    def factor(self) -> float | None:
        """Expected ÷ counted; None where either is not known or nothing was found."""
        if self.expected is None or self.counted is None or not self.counted.share:
            return None
        return self.expected / self.counted.share


def question(sources: tuple[str, ...], condition: str) -> str:
    """The text whose plan tells how many rows a condition selects; its parameters are counted from one."""
    numbers = {found: place + 1 for place, found in enumerate(dict.fromkeys(PARAMETER.findall(condition)))}
    own = PARAMETER.sub(lambda found: f"${numbers[found[1]]}", condition)
    return f"SELECT 1 FROM {', '.join(sources)}" + (f" WHERE {own}" if own else "")


def why_not_counted(condition: str, dialect: str) -> str:
    """Why a condition cannot be counted; empty where it can."""
    if PARAMETER.search(condition) or "?" in condition:
        return "the values of a call are not kept"
    try:
        tree = sqlglot.parse_one(condition, read=dialect)
    except sqlglot.errors.SqlglotError as error:
        return f"it cannot be read: {str(error).splitlines()[0]}"
    odd = next((node for node in tree.walk() if not isinstance(node, PLAIN)), None)
    if odd is not None:
        return f"only plain comparisons are counted on a server, and this has {odd.key}"
    return ""


def counted(totals: PageTotals) -> Counted | None:
    """The share from totals over pages; None where no row was drawn."""
    pages, rows = totals.pages, totals.rows
    if not pages or not rows:
        return None
    share = totals.fitting / rows
    if totals.part >= 1:
        return Counted(share, share, share, int(rows), int(pages))
    if pages < 2:
        return Counted(share, 0.0, 1.0, int(rows), int(pages))
    squares = max(
        0.0, totals.fitting_squared - 2 * share * totals.rows_by_fitting + share * share * totals.rows_squared
    )
    each = rows / pages
    half = Z95 * math.sqrt((1 - totals.part) * squares / (pages - 1) / pages) / each
    if not totals.fitting:  # none in so many: the rule of three
        return Counted(0.0, 0.0, min(1.0, 3 / rows), int(rows), int(pages))
    return Counted(share, max(0.0, share - half), min(1.0, share + half), int(rows), int(pages))
