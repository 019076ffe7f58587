"""What a client says of a call in a comment of its text: ``/*key='value',...*/``.

Source: the SQL commenter convention that OpenTelemetry took over: keys and values are URL-encoded, values in single quotes with
``\\'`` for a quote, pairs separated by commas, in a comment at the end (or the beginning) of the statement.
"""

from __future__ import annotations

import re
from dataclasses import dataclass
from urllib.parse import unquote

LONGEST = 200
_COMMENT = re.compile(r"/\*\s*((?:[\w.%-]+\s*=\s*'(?:[^'\\]|\\.)*'\s*,?\s*)+)\*/")
_PAIR = re.compile(r"([\w.%-]+)\s*=\s*'((?:[^'\\]|\\.)*)'")
_SERVICE = ("service", "service.name", "service_name", "application", "app")
_ROUTE = ("route", "http.route", "action", "job", "job_name")
_TRACE = re.compile(r"[0-9a-f]{2}-([0-9a-f]{32})-[0-9a-f]{16}-[0-9a-f]{2}")


@dataclass(frozen=True)
class CommentTags:
    """Service, route and trace of a call; empty where its comment does not tell."""

    service: str = ""
    route: str = ""
    trace: str = ""


NOTHING = CommentTags()


def comment_tags(text: str | None) -> CommentTags:
    """The tags of a statement's comment. The trace id is that of W3C's traceparent."""
    if not text or "/*" not in text:
        return NOTHING
    found: dict[str, str] = {}
    for comment in _COMMENT.finditer(text):
        for key, value in _PAIR.findall(comment[1]):
            found[unquote(key).lower()] = unquote(value.replace("\\'", "'"))[:LONGEST]
    if not found:
        return NOTHING
    trace = _TRACE.fullmatch(found.get("traceparent", ""))
    return CommentTags(_first(found, _SERVICE), _first(found, _ROUTE), trace[1] if trace else "")


def _first(found: dict[str, str], names: tuple[str, ...]) -> str:
    return next((found[name] for name in names if found.get(name)), "")
