"""Tags in comments: the convention's own example (from memory of its specification), and what must not be taken for tags."""

from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st

from hardy_gauge.core.sql.comment_tags import NOTHING, CommentTags, comment_tags
from hardy_gauge.core.sql.normalise import normalise

TRACE = "00-5bd66ef5095369c7b0d1f8f4bd33716a-c532cb4098ac3dd2-01"
EXAMPLES = {
    f"SELECT * FROM FOO /*action='%2Fparam*d',controller='index',framework='spring',traceparent='{TRACE}',tracestate='congo%3Dt61'*/":
        CommentTags("", "/param*d", "5bd66ef5095369c7b0d1f8f4bd33716a"),
    "/*application='loans',route='%2Floans%2F%7Bid%7D'*/ SELECT 1": CommentTags("loans", "/loans/{id}", ""),
    r"SELECT 1 /* service='o\'clock' , route='x' */": CommentTags("o'clock", "x", ""),
    "SELECT 1 /* a hint, no tags */": NOTHING,
    "SELECT '/*service=x*/' -- /*": NOTHING,
    "SELECT 1 /*service=''*/": NOTHING,
    "SELECT 1": NOTHING,
}  # fmt: skip


@pytest.mark.parametrize(("text", "tags"), EXAMPLES.items())
def test_examples(text: str, tags: CommentTags) -> None:
    assert comment_tags(text) == tags
    assert comment_tags(None) == NOTHING


def test_they_are_not_in_the_fingerprint() -> None:
    assert len({normalise(f"SELECT 1 /*route='{route}'*/").fingerprint for route in ("a", "b")}) == 1


@given(st.text(max_size=80))
def test_nothing_breaks_it(text: str) -> None:
    assert len(comment_tags(f"SELECT 1 /*service='{text}'*/").service) <= 200
