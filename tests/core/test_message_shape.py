"""Shapes of messages: those of PostgreSQL's own message catalogue (its source, "src/backend", from memory), without values."""

from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st

from hardy_gauge.core.sql.message_shape import LONGEST, message_shape

SHAPES = {
    'duplicate key value violates unique constraint "loan_pkey"': 'duplicate key value violates unique constraint "loan_pkey"',
    'invalid input syntax for type integer: "seven"': "invalid input syntax for type integer: …",
    'relation "shelf_7" does not exist at character 15': 'relation "shelf_7" does not exist at character …',
    "canceling statement due to statement timeout": "canceling statement due to statement timeout",
    "process 4711 still waiting for ShareLock on transaction 815 after 1000.123 ms":
        "process … still waiting for ShareLock on transaction … after … ms",
    "Key (id)=(7) already exists.": "Key … already exists.",
    "connection authorized: user=gauge database=loans application_name=desk 3":
        "connection authorized: user=gauge database=loans application_name=desk …",
    "value 'a''b' is\n  not here": "value … is not here",
}  # fmt: skip


@pytest.mark.parametrize(("text", "shape"), SHAPES.items())
def test_shapes(text: str, shape: str) -> None:
    assert message_shape(text) == shape


@given(st.text(max_size=400), st.integers(0, 10**9), st.text(st.characters(exclude_characters="'\""), max_size=20))
def test_values_are_not_in_it(text: str, number: int, word: str) -> None:
    shape = message_shape(f"value '{word}secret' of {number} {text}")
    assert "secret" not in shape.partition(" of ")[0] and len(shape) <= LONGEST
    assert message_shape("x 'a' 1") == message_shape("x 'b' 22")
