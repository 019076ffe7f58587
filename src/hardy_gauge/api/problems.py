"""Errors as RFC 9457 problem details: what is wrong, in which field, and what would be right."""

from __future__ import annotations

from typing import Annotated

from fastapi import FastAPI, Path, Request
from fastapi.exceptions import RequestValidationError
from fastapi.responses import JSONResponse
from starlette.exceptions import HTTPException

from hardy_gauge.capture.editing import NotPossible
from hardy_gauge.core.plans.model import MalformedPlan
from hardy_gauge.load.design import BadTrial
from hardy_gauge.probes.protocol import ProbeError, Refused, Unsupported

RowId = Annotated[int, Path(ge=1, le=2**63 - 1)]


class Problem(Exception):
    """A request that cannot be answered; ``field`` names the part of it that is wrong."""

    def __init__(self, status: int, title: str, detail: str, field: str = "") -> None:
        super().__init__(detail)
        self.status, self.title, self.detail, self.field = status, title, detail, field


def answer(status: int, title: str, detail: str, field: str = "") -> JSONResponse:
    body = {"type": "about:blank", "title": title, "status": status, "detail": detail, "field": field}
    return JSONResponse(body, status, media_type="application/problem+json")


def install(app: FastAPI) -> None:
    """Turn every known error into its problem detail."""

    @app.exception_handler(Problem)
    def problem(_: Request, error: Problem) -> JSONResponse:
        return answer(error.status, error.title, error.detail, error.field)

    @app.exception_handler(RequestValidationError)
    def invalid(_: Request, error: RequestValidationError) -> JSONResponse:
        first = error.errors()[0]
        field = ".".join(str(part) for part in first["loc"] if part not in ("body", "query", "path"))
        return answer(422, "The request is not valid", f"{field}: {first['msg'].removeprefix('Value error, ')}", field)

    @app.exception_handler(HTTPException)
    def plain(_: Request, error: HTTPException) -> JSONResponse:
        return answer(error.status_code, "Not found" if error.status_code == 404 else "Error", str(error.detail))

    @app.exception_handler(NotPossible)
    def not_possible(_: Request, error: NotPossible) -> JSONResponse:
        return answer(409 if error.taken else 422, error.title, str(error), error.field)

    @app.exception_handler(BadTrial)
    def bad_trial(_: Request, error: BadTrial) -> JSONResponse:
        return answer(422, "The trial cannot be run as stated", str(error), error.field)

    @app.exception_handler(MalformedPlan)
    def malformed(_: Request, error: MalformedPlan) -> JSONResponse:
        return answer(422, "The plan cannot be read", str(error), error.field)

    @app.exception_handler(Refused)
    def refused(_: Request, error: Refused) -> JSONResponse:
        return answer(422, "The server refuses this", str(error), error.field)

    @app.exception_handler(Unsupported)
    def unsupported(_: Request, error: Unsupported) -> JSONResponse:
        return answer(501, "This server does not report that", str(error))

    @app.exception_handler(ProbeError)
    def no_answer(_: Request, error: ProbeError) -> JSONResponse:
        return answer(502, "The server's probe did not answer", str(error))
