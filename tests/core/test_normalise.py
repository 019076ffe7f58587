"""Which texts are the same statement, as a table."""

import re

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from hardy_gauge.core.sql.normalise import TOKEN, _skeleton, _tokens, _unary, fingerprint, normalise

SAME = [
    ("SELECT * FROM loan WHERE id = 5", "select  *\nfrom loan where id = 99 -- why"),
    ("SELECT a FROM t WHERE b IN (1, 2, 3)", "SELECT a FROM t WHERE b IN (?)"),
    ("INSERT INTO t (a, b) VALUES (1, 'x'), (2, 'y')", "insert into t(a, b) values ($1, $2)"),
    ("SELECT a FROM t WHERE b = -5", "SELECT a FROM t WHERE b = 5"),
    ("SELECT 'it''s' FROM t", "SELECT $tag$any 'text'$tag$ FROM t"),
    ("SELECT a /* hint */ FROM t;", "SELECT a FROM t"),
    ('SELECT "a" FROM t', "SELECT a FROM t"),
    ("SELECT a FROM t WHERE b = TRUE", "SELECT a FROM t WHERE b = :flag"),
    ("SELECT a FROM t WHERE b = 1.5e-3", "SELECT a FROM t WHERE b = %s"),
]
DIFFERENT = [
    ("SELECT a FROM t", "SELECT b FROM t"),
    ("SELECT a FROM t WHERE b IS NULL", "SELECT a FROM t WHERE b IS NOT NULL"),
    ("SELECT a FROM t WHERE b - 5 = c", "SELECT a FROM t WHERE b + 5 = c"),
    ('SELECT "A" FROM t', "SELECT a FROM t"),
    ("SELECT a FROM t ORDER BY b", "SELECT a FROM t ORDER BY b DESC"),
    ("SELECT a FROM t WHERE b IS TRUE", "SELECT a FROM t WHERE b = TRUE"),
]


@pytest.mark.parametrize(("one", "other"), SAME)
def test_same_statement(one: str, other: str) -> None:
    assert fingerprint(one) == fingerprint(other)


@pytest.mark.parametrize(("one", "other"), DIFFERENT)
def test_different_statement(one: str, other: str) -> None:
    assert fingerprint(one) != fingerprint(other)


def test_readable_text_has_no_literals() -> None:
    normal = normalise("SELECT id FROM patron WHERE card_number = 'Q-4711' AND home_branch_id = 12")
    assert normal.text == "SELECT id FROM patron WHERE card_number = $1 AND home_branch_id = $2"
    assert normal.kind == "select"


@given(st.text(max_size=200))
def test_any_text_has_a_fingerprint(text: str) -> None:
    assert len(fingerprint(text)) == 16


@given(st.integers(0, 10**12), st.text(alphabet="abc' ", max_size=20))
def test_literals_never_change_the_fingerprint(number: int, text: str) -> None:
    quoted = text.replace("'", "''")
    varied = f"SELECT id FROM loan WHERE a = {number} AND b = '{quoted}'"
    assert fingerprint(varied) == fingerprint("SELECT id FROM loan WHERE a = 1 AND b = 'x'")


PIECES = [
    *"ab eEnNuUxX01.5_'\"`[]$?:@%()-+/*,;\n\\=<>|&#s", "''", "--", "/*", "*/", "$$", "$a$", "in (", "values", " is null", "not true", "true", "1.5", "E'",
    "::", "@>", "%s", "select", ":name", "$1", "'it''s'", "$t$x$t$", "(1, 2)", "\ue001", "é", "²",
]  # fmt: skip


def read_plainly(sql: str) -> tuple[list[str], list[bool]]:
    """The tokens as the grammar of ``TOKEN`` has them, one after the other, without any shortening before."""
    tokens: list[str] = []
    spaced: list[bool] = []
    gap = False
    for match in TOKEN.finditer(sql):
        kind, text = match.lastgroup, match.group()
        if kind == "space":
            gap = True
            continue
        if kind in ("string", "number", "parameter", "tag"):
            if kind == "number" and tokens and tokens[-1] in ("-", "+") and _unary([one.lower() for one in tokens]):
                tokens.pop()
                gap = spaced.pop()
            text = "?"
        elif kind == "word":
            constant = text.lower() in ("true", "false") and not (tokens and tokens[-1].lower() in ("is", "not"))
            text = "?" if constant else text
        elif kind == "quoted" and text[0] == '"' and re.fullmatch(r"[a-z_][a-z0-9_]*", text[1:-1]):
            text = text[1:-1]
        tokens.append(text)
        spaced.append(gap)
        gap = False
    while tokens and tokens[-1] == ";":
        tokens.pop()
        spaced.pop()
    return tokens, spaced


@settings(max_examples=3000)
@given(st.lists(st.sampled_from(PIECES), max_size=14).map("".join))
def test_shortened_texts_have_the_tokens_of_the_whole_ones(sql: str) -> None:
    tokens, _, spaced = _tokens(_skeleton(sql))
    assert (tokens, spaced) == read_plainly(sql)


def test_texts_that_differ_in_literals_are_read_once() -> None:
    one, other = (
        _skeleton(f"SELECT a FROM t WHERE b = {number} AND c = '{word}' -- {word}")
        for number, word in ((7, "x"), (12.5, "a''b"))
    )
    assert one == other == "SELECT a FROM t WHERE b = 0.0 AND c = ''  "
