"""The values in a statement's text, each with what stands before it."""

from __future__ import annotations

import re
from dataclasses import dataclass
from functools import lru_cache

from hardy_gauge.core.sql.normalise import TOKEN

MOST_BEFORE = 5
# what stands before a value is told back to one of these
_ENDS = frozenset({"and", "or", "where", "on", "set", "values", "select", "having", "when", "then", "else", "(", ","})
_BEGINS = frozenset({"limit", "offset"})
_SIGN_AFTER = re.compile(
    r"(?:[(,=<>+\-*/%|\[]|\b(?:and|or|not|in|between|like|limit|offset|then|else|when|values|set|by|select|where))\s*$",
    re.I,
)


@dataclass(frozen=True)
class Literal:
    """``before`` is the text in front of it, such as ``h.state =``; ``value`` as it is written."""

    before: str
    value: str


@lru_cache(maxsize=20_000)
def literals(sql: str) -> tuple[Literal, ...] | None:
    """Strings, numbers, true, false and null, in the order of the text; the null of IS NULL is none. None where the text has parameters, for
    then values were left out or are bound to it. Repeated texts come from a cache.
    """
    found: list[Literal] = []
    tokens: list[tuple[int, str]] = []  # where each begins, in lower case
    for match in TOKEN.finditer(sql):
        if match.lastgroup == "space":
            continue
        if match.lastgroup == "parameter":
            return None
        lower, last = match.group().lower(), tokens[-1][1] if tokens else ""
        constant = lower in ("true", "false", "null") and last not in ("is", "not")
        if match.lastgroup in ("string", "number", "tag") or constant:
            start = match.start()
            if match.lastgroup == "number" and last in ("-", "+") and _SIGN_AFTER.search(sql[: tokens[-1][0]]):
                start = tokens.pop()[0]
            found.append(Literal(_before(sql, tokens, start), sql[start : match.end()]))
        tokens.append((match.start(), lower))
    return tuple(found)


def _before(sql: str, tokens: list[tuple[int, str]], end: int) -> str:
    start = end
    for place, text in reversed(tokens[-MOST_BEFORE:]):
        if text in _ENDS and start < end:
            break
        start = place
        if text in _BEGINS:
            break
    return " ".join(sql[start:end].split())
