"""Normalise a statement: literals out, comments out, lists of any length alike; and its fingerprint.

Works on tokens, not on a grammar, so that every dialect and even broken text gets a stable identity.
"""

from __future__ import annotations

import hashlib
import re
from dataclasses import dataclass
from functools import lru_cache

TOKEN = re.compile(
    r"""
    (?P<space>\s+|--[^\n]*|/\*.*?\*/)
  | (?P<string>(?:\b[eExXbBnN]|\b[uU]&)?'(?:[^'\\]|''|\\.)*'|(?P<tag>\$\w*\$).*?(?P=tag))
  | (?P<quoted>"(?:[^"]|"")*"|`[^`]*`|\[[A-Za-z_][^\]]*\])
  | (?P<parameter>\$\d+|\?\d*|(?<![:\w]):[A-Za-z_]\w*|%s|%\(\w+\)s|@\w+)
  | (?P<number>(?:\d[\d_]*\.?\d*|\.\d+)(?:[eE][+-]?\d+)?)
  | (?P<word>[^\W\d]\w*)
  | (?P<operator>::|<=|>=|<>|!=|\|\||->>|->|\#>>|\#>|@>|<@|.)
    """,
    re.VERBOSE | re.DOTALL,
)
_VALUE = "?"
_BEFORE_SIGN = frozenset(["(", ",", "=", "<", ">", "<=", ">=", "<>", "!=", "+", "-", "*", "/", "%", "||", "["])
_WORD_BEFORE_SIGN = frozenset(
    [
        "select",
        "where",
        "and",
        "or",
        "not",
        "in",
        "between",
        "like",
        "limit",
        "offset",
        "then",
        "else",
        "when",
        "case",
        "values",
        "set",
        "by",
        "return",
    ]
)
_CONSTANT_WORDS = frozenset({"true", "false"})
_KINDS = frozenset({"select", "insert", "update", "delete", "merge", "create", "alter", "drop", "truncate"})


@dataclass(frozen=True)
class Normalised:
    """``text`` is for people (literals replaced, spacing tidied), ``fingerprint`` 16 hex digits for identity."""

    text: str
    fingerprint: str
    kind: str


@lru_cache(maxsize=20_000)
def normalise(sql: str) -> Normalised:
    """The identity and readable form of one statement; repeated texts come from a cache."""
    tokens, spaced = _tokens(sql)
    canonical = _collapse(tokens)
    digest = hashlib.blake2b(" ".join(canonical).encode(), digest_size=8).hexdigest()
    first = next((t for t in canonical if t in _KINDS), canonical[0] if canonical else "")
    return Normalised(_readable(tokens, spaced), digest, "select" if first == "with" else first)


def fingerprint(sql: str) -> str:
    """16 hex digits that are the same for texts that differ only in literals, spacing, case or comments."""
    return normalise(sql).fingerprint


def _tokens(sql: str) -> tuple[list[str], list[bool]]:
    """Tokens with literals as '?', and whether white space stood before each."""
    tokens: list[str] = []
    spaced: list[bool] = []
    gap = False
    for match in TOKEN.finditer(sql):
        group = match.lastgroup
        if group == "space":
            gap = True
            continue
        text = match.group()
        if group in ("string", "number", "parameter", "tag"):
            if group == "number" and tokens and tokens[-1] in ("-", "+") and _unary(tokens):
                tokens.pop()
                gap = spaced.pop()
            text = _VALUE
        elif group == "word":
            lower = text.lower()
            literal = lower in _CONSTANT_WORDS and not (tokens and tokens[-1].lower() in ("is", "not"))
            text = _VALUE if literal else text
        elif group == "quoted" and text[0] == '"' and re.fullmatch(r"[a-z_][a-z0-9_]*", text[1:-1]):
            text = text[1:-1]
        tokens.append(text)
        spaced.append(gap)
        gap = False
    while tokens and tokens[-1] == ";":
        tokens.pop()
        spaced.pop()
    return tokens, spaced


def _unary(tokens: list[str]) -> bool:
    if len(tokens) < 2:
        return True
    before = tokens[-2]
    return before in _BEFORE_SIGN or before.lower() in _WORD_BEFORE_SIGN


def _collapse(tokens: list[str]) -> list[str]:
    """Lower case outside quotes; '(?, ?, ?)' after IN becomes '(?)', rows after VALUES become one row."""
    out: list[str] = []
    in_values = False
    for token in tokens:
        out.append(token if token[0] in '"`[' else token.lower())
        if out[-1] == "values":
            in_values = True
        if out[-1] == ")" and len(out) > 3:
            _collapse_list(out)
            if in_values:
                _collapse_rows(out)
    return out


def _collapse_list(out: list[str]) -> None:
    start = len(out) - 2
    while start >= 0 and out[start] in (_VALUE, ","):
        start -= 1
    if start > 0 and out[start] == "(" and out[start - 1] == "in":
        del out[start + 1 :]
        out += [_VALUE, ")"]


def _collapse_rows(out: list[str]) -> None:
    depth = 0
    for start in range(len(out) - 1, -1, -1):
        depth += (out[start] == ")") - (out[start] == "(")
        if depth == 0:
            break
    row = out[start:]
    before = start - 1
    if before > len(row) and out[before] == "," and out[before - len(row) : before] == row:
        del out[before:]


def _readable(tokens: list[str], spaced: list[bool]) -> str:
    parts: list[str] = []
    number = 0
    for token, gap in zip(tokens, spaced, strict=True):
        if parts and gap:
            parts.append(" ")
        if token == _VALUE:
            number += 1
            token = f"${number}"
        parts.append(token)
    return "".join(parts)
