"""OTLP over HTTP, as senders send it."""

from __future__ import annotations

import json
from typing import Any

from fastapi import APIRouter, Request
from starlette.concurrency import run_in_threadpool

from hardy_gauge.api.current import CurrentName, CurrentReader
from hardy_gauge.capture.imports.otlp_receiver import OtlpReceiver, partial_success
from hardy_gauge.errors import Malformed, NotFound, WrongMediaType

router = APIRouter(tags=["imports"])


@router.post("/otlp/v1/{signal}", openapi_extra={"requestBody": {"content": {"application/json": {}}}})
async def otlp(signal: str, request: Request, reader: CurrentReader, who: CurrentName) -> dict[str, Any]:
    """OTLP as JSON: spans at ``traces``, figures at ``metrics``. The answer says how many were rejected."""
    if signal not in ("traces", "metrics"):
        raise NotFound("signal: traces and metrics are accepted here", "signal", "Unknown signal")
    if request.headers.get("content-type", "").partition(";")[0].strip().lower() != "application/json":
        raise WrongMediaType("content-type: OTLP is accepted as application/json", "content-type")
    body = await request.body()
    try:
        document = json.loads(body)
    except (ValueError, RecursionError) as error:
        raise Malformed("body: a JSON object of OTLP was expected", "body", "Not JSON") from error
    receiver: OtlpReceiver = request.app.state.otlp
    rejected = await run_in_threadpool(receiver.receive, document, who, reader.clock())
    return partial_success(signal, rejected)
