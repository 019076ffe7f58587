"""The OpenAPI document with every answer that is not a success, as problem details (RFC 9457)."""

from __future__ import annotations

import re
from typing import Any

from fastapi import FastAPI

from hardy_gauge.api.route_roles import READS, least_role

PROBLEM = {
    "type": "object",
    "title": "Problem",
    "description": "What is wrong, in which field, and what would be right (RFC 9457)",
    "required": ["type", "title", "status", "detail", "field"],
    "properties": {
        "type": {"type": "string"}, "title": {"type": "string"}, "status": {"type": "integer"},
        "detail": {"type": "string"}, "field": {"type": "string"},
    },
}  # fmt: skip
WORDS = {
    400: "The body or a header cannot be read",
    401: "Nobody is signed in",
    403: "The role does not suffice, or it is not from this application, or it has to be confirmed",
    404: "What was named is not there",
    408: "The body came too slowly",
    409: "It does not fit what is there",
    413: "The body is too large",
    415: "Not this media type",
    422: "A field is not as expected",
    429: "Too many tries; retry-after says when again",
    501: "The server does not report that",
    502: "A server or the provider did not answer",
    503: "Too busy, or the store cannot be written now",
}
# where a database server, its probe or a provider is asked
ASKS = re.compile(
    r"/api/(connections(/test|/\{server\}(/reports)?)?|servers/.*|trials(/.*)?|snapshots|sign-in/provider.*)"
)
COUNTED = re.compile(r"/api/(sign-in.*|first|me/.*)")


def describe(app: FastAPI) -> None:
    """Let the application's document say which problems each route answers."""
    plain = app.openapi

    def openapi() -> dict[str, Any]:
        if app.openapi_schema is None:
            document = plain()
            document["components"]["schemas"]["Problem"] = PROBLEM
            for path, methods in document["paths"].items():
                for method, operation in methods.items():
                    _add(operation, path, method.upper())
        return app.openapi_schema or {}

    app.openapi = openapi  # type: ignore[method-assign]


def statuses(path: str, method: str) -> list[int]:
    """The problems that a route may answer."""
    found = {422, 503}
    if least_role(method, re.sub(r"\{\w+\}", "1", path)) is not None:
        found |= {401, 403}
    if path != "/api/health":
        found |= {404}
    if method not in READS:
        found |= {400, 403, 408, 409, 413, 415}
    if ASKS.fullmatch(path):
        found |= {403, 409, 501, 502}
    if COUNTED.fullmatch(path):
        found |= {401, 403, 409, 429}
    return sorted(found)


def _add(operation: dict[str, Any], path: str, method: str) -> None:
    answers = operation["responses"]
    for status in statuses(path, method):
        content = {"application/problem+json": {"schema": {"$ref": "#/components/schemas/Problem"}}}
        if status == 503 and "503" in answers:
            continue
        answers[str(status)] = {"description": WORDS[status], "content": content}
