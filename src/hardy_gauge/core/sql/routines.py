"""The statements that a stored routine runs, as its server counts them: read from the routine's definition.

A body in PL/pgSQL hands its statements on as they are written, without ``INTO`` and its targets, and ``PERFORM`` as ``SELECT``; an
expression becomes a statement only where it holds a query (PostgreSQL manual, "PL/pgSQL under the Hood").
"""

from __future__ import annotations

import re
from collections.abc import Sequence
from dataclasses import dataclass
from itertools import pairwise
from typing import NamedTuple

from hardy_gauge.core.sql.normalise import TOKEN, Normalised, normalise

_HEAD = re.compile(
    r"\bCREATE\s+(?:OR\s+REPLACE\s+)?(?:FUNCTION|PROCEDURE)\s+((?:\"[^\"]+\"|\w+)(?:\.(?:\"[^\"]+\"|\w+))?)\s*\(", re.I
)
_BODY = re.compile(r"\bAS\s+(\$\w*\$)(.*)\1", re.I | re.S)
_ATOMIC = re.compile(r"\bBEGIN\s+ATOMIC\b(.*)\bEND\s*;?\s*$", re.I | re.S)
_STATEMENT = frozenset(["select", "insert", "update", "delete", "merge", "with", "call", "perform", "values"])
# after these another statement begins
_OPENS = frozenset(["begin", "then", "else", "loop", "declare", "exception"])
_CONDITION = frozenset(["if", "elsif", "elseif", "while", "return", "case", "when"])


class _Token(NamedTuple):
    kind: str
    text: str
    spaced: bool


@dataclass(frozen=True)
class Routine:
    """``name`` without its schema; ``dynamic``: it also runs texts that it puts together itself, which its definition does not tell."""

    name: str
    statements: tuple[Normalised, ...]
    dynamic: bool


def routine_of(definition: str) -> Routine | None:
    """None where it is no definition of a routine, or its body is not in the definition."""
    head = _HEAD.search(definition)
    if head is None:
        return None
    name = head[1].rpartition(".")[2].strip('"')
    body = _BODY.search(definition, head.end()) or _ATOMIC.search(definition, head.end())
    if body is None:
        return None
    texts, dynamic = _statements(_tokens(body[body.re.groups]))
    return Routine(name, tuple(normalise(text) for text in texts), dynamic)


def calls_routine(text: str, name: str) -> bool:
    """Whether a statement names the routine with a bracket behind it."""
    tokens = [one.text.lower() for one in _tokens(text) if one.kind in ("word", "quoted", "operator")]
    return any(a.strip('"') == name.lower() and b == "(" for a, b in pairwise(tokens))


def _tokens(text: str) -> list[_Token]:
    found, spaced = [], False
    for match in TOKEN.finditer(text):
        if match.lastgroup != "space":
            found.append(_Token(str(match.lastgroup), match[0], spaced))
        spaced = match.lastgroup == "space"
    return found


def _statements(tokens: Sequence[_Token]) -> tuple[list[str], bool]:
    texts: list[str] = []
    dynamic, at, begins = False, 0, True
    while at < len(tokens):
        word = tokens[at].text.lower()
        if not begins:
            begins = word == ";" or word in _OPENS
            at += 1
            continue
        if word in _OPENS or word == ";" or (word == "return" and _word(tokens, at + 1) in ("query", "next")):
            at += 2 if word == "return" and _word(tokens, at + 1) == "query" else 1
            begins = word != "return" or _word(tokens, at - 1) == "query"
            continue
        if word == "execute":
            dynamic, begins = True, False
            continue
        if word == "for":
            at, begins = _after_in(tokens, at)
            continue
        ends = ("then", "loop", ";") if word in _CONDITION else ("loop", ";")
        first = at + 1 if word in _CONDITION else at
        last = _end(tokens, first, ends if word not in _STATEMENT else (";", "loop"))
        part = tokens[first:last]
        if word in _STATEMENT or any(one.text.lower() == "select" for one in part):
            texts.append(_text(part[_of_cursor(part) :]))
        at, begins = last, False
    return texts, dynamic


def _after_in(tokens: Sequence[_Token], at: int) -> tuple[int, bool]:
    """Behind ``FOR row IN``: whether a query begins there, and not a range of numbers or another text."""
    end = _end(tokens, at, ("in", ";"))
    return end + 1, _word(tokens, end + 1) in _STATEMENT | {"execute"}


def _of_cursor(part: Sequence[_Token]) -> int:
    """Where the query of a cursor begins, behind its ``FOR``; 0 of anything else."""
    if any(one.text.lower() in ("cursor", "open") for one in part[:3]):
        return next(
            (at + 1 for at, one in enumerate(part) if one.text.lower() == "for" and _word(part, at + 1) in _STATEMENT),
            0,
        )
    return 0


def _end(tokens: Sequence[_Token], at: int, ends: Sequence[str]) -> int:
    """The place of the first of the words that is in no bracket."""
    depth = 0
    while at < len(tokens):
        word = tokens[at].text.lower()
        depth += (word in "([") - (word in ")]") if len(word) == 1 else 0
        if depth <= 0 and word in ends:
            return at
        at += 1
    return at


def _word(tokens: Sequence[_Token], at: int) -> str:
    return tokens[at].text.lower() if 0 <= at < len(tokens) else ""


def _text(tokens: Sequence[_Token]) -> str:
    """One statement as it is handed on."""
    words: list[str] = []
    at, depth = 0, 0
    while at < len(tokens):
        word, before = tokens[at].text.lower(), words[-1].strip().lower() if words else ""
        depth += (word == "(") - (word == ")")
        if word == "into" and depth == 0 and before and before not in ("insert", "merge"):
            at = _targets(tokens, at + 1)
            continue
        space = " " if words and tokens[at].spaced else ""
        words.append(space + ("SELECT" if word == "perform" and not words else tokens[at].text))
        at += 1
    return "".join(words)


def _targets(tokens: Sequence[_Token], at: int) -> int:
    """Behind the variables that ``INTO`` fills: ``a, b.c``, with or without ``STRICT``."""
    at += _word(tokens, at) == "strict"
    while True:
        at += 1
        while _word(tokens, at) == ".":
            at += 2
        if _word(tokens, at) != ",":
            return at
        at += 1
