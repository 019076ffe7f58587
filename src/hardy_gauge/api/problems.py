"""Errors as RFC 9457 problem details: what is wrong, in which field, and what would be right. One handler for all."""

from __future__ import annotations

from typing import Annotated

from fastapi import FastAPI, Path, Request
from fastapi.exceptions import RequestValidationError
from fastapi.responses import JSONResponse
from starlette.exceptions import HTTPException

from hardy_gauge import errors as e
from hardy_gauge.sandbox.process import SandboxEnded

RowId = Annotated[int, Path(ge=1, le=2**63 - 1)]
# the first class that an error is of decides
STATUS: tuple[tuple[type[e.GaugeError], int], ...] = (
    (e.Refused, 422), (e.Unsupported, 501), (e.NeverAsked, 409),
    (e.AddressNotAllowed, 403), (e.AccountNotForHost, 403), (e.AccountNotForPerson, 403), (e.ProbeError, 502), (e.NotFound, 404),
    (e.Conflict, 409), (e.NotSignedIn, 401), (e.NotAllowed, 403), (e.TooManyTries, 429),
    (e.WrongMediaType, 415), (e.TooLarge, 413), (e.Malformed, 400), (e.InvalidInput, 422), (SandboxEnded, 503), (e.ProviderError, 502),
    (e.GaugeError, 500),
)  # fmt: skip
TITLES = {
    400: "Not readable",
    404: "Not found",
    405: "Not possible",
    408: "Too slow",
    413: "Too large",
    503: "Too busy",
}


def status_of(error: e.GaugeError) -> int:
    """The HTTP status that an error is answered with."""
    return next(status for kind, status in STATUS if isinstance(error, kind))


def answer(status: int, title: str, detail: str, field: str = "") -> JSONResponse:
    body = {"type": "about:blank", "title": title, "status": status, "detail": detail, "field": field}
    return JSONResponse(body, status, media_type="application/problem+json")


def install(app: FastAPI) -> None:
    """Turn every error into its problem detail."""

    @app.exception_handler(e.GaugeError)
    def problem(_: Request, error: e.GaugeError) -> JSONResponse:
        response = answer(status_of(error), error.title, error.detail, error.field)
        if isinstance(error, e.TooManyTries):
            response.headers["retry-after"] = str(error.retry_s)
        return response

    @app.exception_handler(RequestValidationError)
    def invalid(_: Request, error: RequestValidationError) -> JSONResponse:
        first = error.errors()[0]
        field = ".".join(str(part) for part in first["loc"] if part not in ("body", "query", "path"))
        return answer(422, "The request is not valid", f"{field}: {first['msg'].removeprefix('Value error, ')}", field)

    @app.exception_handler(HTTPException)
    def plain(_: Request, error: HTTPException) -> JSONResponse:
        field = "body" if error.status_code in (408, 413, 503) else ""
        return answer(error.status_code, TITLES.get(error.status_code, "Error"), str(error.detail), field)
