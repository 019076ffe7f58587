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
# what has to be replaced, and what could be taken for it, each with the plain text before it; the number of each is that of its group
_REPLACED = re.compile(
    r"""
    ([^"'`\[$?:@%\d/.\-]*)
    (?: ('(?:[^'\\]|''|\\.)*')
      | ((?<!\w)\d[\d_]*\.?\d*(?:[eE][+-]?\d+)?)
      | (--[^\n]*|/\*.*?\*/)
      | (\.\d+(?:[eE][+-]?\d+)?)
      | ((\$\w*\$).*?\7)
      | ("(?:[^"]|"")*"|`[^`]*`|\[[A-Za-z_][^\]]*\]|\$\d+|\?\d*|(?<![:\w]):[A-Za-z_]\w*|%s|%\(\w+\)s|@\w+|.)
      | \Z)
    """,
    re.VERBOSE | re.DOTALL,
)
# the tokens of a text in which nothing of any length is left, each with the white space before it; those first that come most often
_PIECE = re.compile(
    r"""
    (\s*)
    ( [^\W\d]\w*(?![\w'&]) | [(),=*;+]
    | (?:\b[eExXbBnN]|\b[uU]&)?'' | "(?:[^"]|"")*" | `[^`]*` | \[[A-Za-z_][^\]]*\]
    | \$\d+ | \?\d* | (?<![:\w]):[A-Za-z_]\w* | %s | %\(\w+\)s | @\w+
    | \d[\d_]*\.?\d*(?:[eE][+-]?\d+)? | \.\d+(?:[eE][+-]?\d+)? | [^\W\d]\w*
    | ::|<=|>=|<>|!=|\|\||->>|->|\#>>|\#>|@>|<@|\S )
    """,
    re.VERBOSE,
)
_VALUE, _TAGGED = "?", "\ue000"
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
    """The identity and readable form of one statement; repeated texts come from a cache, and so do those that differ in literals alone."""
    return _normalised(_skeleton(sql))


def _skeleton(sql: str) -> str:
    """The text with shortest values in the place of its values, and a space for each comment: its tokens are those of the text."""
    parts: list[str] = []
    for plain, string, number, comment, part, tagged, _, kept in _REPLACED.findall(sql):
        parts.append(plain)
        if kept:
            parts.append(kept)
        elif number:
            parts.append("0." if number[-1] == "." else "0.0")  # what follows must not be taken for a part of it
        elif string:
            parts.append("''")
        elif comment:
            parts.append(" ")
        elif part:
            parts.append(".0")
        elif tagged:
            parts.append(_TAGGED)
    return "".join(parts)


@lru_cache(maxsize=20_000)
def _normalised(skeleton: str) -> Normalised:
    tokens, lowered, spaced = _tokens(skeleton)
    canonical = _collapse(lowered)
    digest = hashlib.blake2b(" ".join(canonical).encode(), digest_size=8).hexdigest()
    first = next((t for t in canonical if t in _KINDS), canonical[0] if canonical else "")
    return Normalised(_readable(tokens, spaced), digest, "select" if first == "with" else first)


def fingerprint(sql: str) -> str:
    """16 hex digits that are the same for texts that differ only in literals, spacing, case or comments."""
    return normalise(sql).fingerprint


def _tokens(skeleton: str) -> tuple[list[str], list[str], list[bool]]:
    """Tokens with literals as '?', the same in lower case outside quotes, and whether white space stood before each."""
    tokens: list[str] = []
    lowered: list[str] = []
    spaced: list[bool] = []
    for space, piece in _PIECE.findall(skeleton.rstrip()):
        gap = bool(space)
        kind, text, low = _read(piece)
        if kind == "number" and lowered and lowered[-1] in ("-", "+") and _unary(lowered):
            tokens.pop()
            lowered.pop()
            gap = spaced.pop()
        elif kind == "constant" and lowered and lowered[-1] in ("is", "not"):
            text, low = piece, piece.lower()
        tokens.append(text)
        lowered.append(low)
        spaced.append(gap)
    while tokens and tokens[-1] == ";":
        tokens.pop()
        lowered.pop()
        spaced.pop()
    return tokens, lowered, spaced


@lru_cache(maxsize=50_000)
def _read(piece: str) -> tuple[str, str, str]:
    """What a token is, how it is shown, and how it counts."""
    if piece == _TAGGED:
        return "tag", _VALUE, _VALUE
    match = TOKEN.fullmatch(piece)
    kind = match.lastgroup if match and match.lastgroup else "operator"
    if kind in ("string", "number", "parameter", "tag"):
        return kind, _VALUE, _VALUE
    if kind == "word" and piece.lower() in _CONSTANT_WORDS:
        return "constant", _VALUE, _VALUE
    if kind == "quoted" and piece[0] == '"' and re.fullmatch(r"[a-z_][a-z0-9_]*", piece[1:-1]):
        piece = piece[1:-1]
    return kind, piece, piece if piece[0] in '"`[' else piece.lower()


def _unary(tokens: list[str]) -> bool:
    if len(tokens) < 2:
        return True
    before = tokens[-2]
    return before in _BEFORE_SIGN or before in _WORD_BEFORE_SIGN


def _collapse(tokens: list[str]) -> list[str]:
    """'(?, ?, ?)' after IN becomes '(?)', rows after VALUES become one row."""
    out: list[str] = []
    in_values = False
    for token in tokens:
        out.append(token)
        if token == "values":
            in_values = True
        elif token == ")" and len(out) > 3:
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
