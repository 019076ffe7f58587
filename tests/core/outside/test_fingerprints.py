"""Fingerprints against pglast (the PostgreSQL parser's own): the same grouping of a corpus.

Source: pglast, a general-purpose binding of that parser (test dependency).
"""

import pglast

from hardy_gauge.core.sql.normalise import fingerprint

from .corpus import CORPUS


def groups(keys: list[str]) -> set[frozenset[int]]:
    found: dict[str, set[int]] = {}
    for i, key in enumerate(keys):
        found.setdefault(key, set()).add(i)
    return {frozenset(members) for members in found.values()}


def test_same_groups_as_the_parser() -> None:
    texts = [text for _, text in CORPUS]
    theirs = groups([pglast.fingerprint(text) for text in texts])
    ours = groups([fingerprint(text) for text in texts])
    assert len(texts) >= 300 and len(theirs) >= 60
    assert ours == theirs
