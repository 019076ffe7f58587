"""Hypothesis over every reader of outside data: true examples that are cut, repeated, mixed and spoilt, and bytes of any kind.

EXAMPLES_OF_READERS in the environment says how many for each; ``tests.fuzz.coverage`` looks where code was not reached yet.
"""

from __future__ import annotations

import os
from pathlib import Path

import pytest
from hypothesis import HealthCheck, given, seed, settings
from hypothesis import strategies as st

from tests.fuzz.readers import READERS

WORDS = st.sampled_from(
    [b"", b"\x00", b"null", b"-1", b"1e999", b"NaN", b"[", b"{", b'"', b"\xff", b"\\u0000", b"&a *a", b"9" * 40, b"\n", b"'", b",", b"\xe2\x80\xa8"]
)  # fmt: skip


@st.composite
def spoilt(draw: st.DrawFn, seeds: tuple[bytes, ...]) -> bytes:
    """A true example after a few changes, each of a stretch of it."""
    content = draw(st.sampled_from(seeds))
    for _ in range(draw(st.integers(1, 6))):
        start = draw(st.integers(0, len(content)))
        end = min(len(content), start + draw(st.integers(0, 24)))
        other = draw(st.one_of(WORDS, st.binary(max_size=8), st.just(content[start:end] * 3)))
        content = content[:start] + other + content[end:]
    return content


@pytest.mark.parametrize("name", READERS)
def test_a_reader_reads_or_refuses(name: str, tmp_path: Path) -> None:
    reader = READERS[name]
    seeds = reader.seeds()
    for content in seeds:
        reader.read(content, tmp_path)

    @seed(int(os.environ.get("SEED", "5")))
    @settings(
        max_examples=int(os.environ.get("EXAMPLES_OF_READERS", "100")),
        deadline=None,
        database=None,
        suppress_health_check=list(HealthCheck),
    )
    @given(st.one_of(spoilt(seeds), spoilt(seeds), st.binary(max_size=200)))
    def one(content: bytes) -> None:
        reader.tried(content, tmp_path)

    one()
