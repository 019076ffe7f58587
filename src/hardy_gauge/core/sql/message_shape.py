"""The shape of a log message: what it says without the values in it, so that messages of one kind are one.

Common practice: numbers, texts in single quotes and values after a colon are of one occasion; names of relations, columns,
constraints and the like, which servers put in double quotes, are what the message is about, and stay.
"""

from __future__ import annotations

import re

LONGEST = 300
_NAMED = (
    "relation|column|table|index|constraint|function|procedure|role|user|database|schema|type|sequence|view|extension|parameter|"
    "trigger|cursor|tablespace|publication|subscription|slot|server|language|operator|policy|aggregate|domain|collation|object"
)  # fmt: skip
_PARTS = re.compile(
    rf"""
    (?P<kept>\b(?:{_NAMED})\s+"(?:[^"]|"")*")
  | (?P<value>"(?:[^"]|"")*"|'(?:[^']|'')*'|\([^()]*\)=\([^()]*\))
  | (?P<number>(?<![A-Za-z_"])-?\d[\d.:/_-]*)
    """,
    re.VERBOSE | re.IGNORECASE,
)


DEADLOCK = "deadlock"


def message_shape(text: str) -> str:
    """The message with "…" for each value and number, on one line, at most 300 characters."""
    plain = " ".join(text[: 10 * LONGEST].split())
    return _PARTS.sub(lambda found: found.group() if found.lastgroup == "kept" else "…", plain)[:LONGEST]


def is_deadlock(shape: str, code: str) -> bool:
    """Whether a message says that a call was given up because it waited in a circle: every engine has the word in it or in its code."""
    return DEADLOCK in shape.lower() or DEADLOCK in code.lower()
