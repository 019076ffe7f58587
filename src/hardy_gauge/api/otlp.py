"""OTLP over HTTP, as senders send it."""

from __future__ import annotations

from typing import Any

from fastapi import APIRouter, Request, Response
from starlette.concurrency import run_in_threadpool

from hardy_gauge.api.body_limits import ceiling
from hardy_gauge.api.current import CurrentName, CurrentReader
from hardy_gauge.capture.imports import otlp_http
from hardy_gauge.capture.imports.otlp_receiver import OtlpReceiver

router = APIRouter(tags=["imports"])
FORMS: dict[str, Any] = {otlp_http.JSON: {}, otlp_http.PROTOBUF: {}}


@router.post(
    "/otlp/v1/{signal}", response_class=Response, responses={200: {"content": FORMS}},
    openapi_extra={"requestBody": {"content": FORMS}},
)  # fmt: skip
async def otlp(signal: str, request: Request, reader: CurrentReader, who: CurrentName) -> Response:
    """OTLP as protobuf or JSON, perhaps with gzip: spans at ``traces``, figures at ``metrics``; ``logs`` are not kept. The answer
    says how many were rejected.
    """
    media = request.headers.get("content-type", "").partition(";")[0].strip().lower()
    encoding = request.headers.get("content-encoding", "").strip().lower()
    otlp_http.check(signal, media)
    body = await request.body()
    receiver: OtlpReceiver = request.app.state.otlp

    def received() -> bytes:
        content = otlp_http.unpacked(body, encoding, ceiling(request.url.path)[0])
        rejected = receiver.receive(signal, otlp_http.document_of(signal, media, content), who, reader.clock())
        return otlp_http.encoded(signal, media, otlp_http.partial_success(signal, rejected))

    return Response(await run_in_threadpool(received), media_type=media)
