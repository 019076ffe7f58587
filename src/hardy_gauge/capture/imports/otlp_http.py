"""OTLP over HTTP as its clients send it: protobuf or JSON, plain or compressed with gzip, and the answer in the same form.

Source: the OpenTelemetry protocol specification 1.x, "OTLP/HTTP": binary protobuf and JSON encodings, partial success, content
encoding. Trace and span ids are base64 in protobuf's own JSON form and hexadecimal in OTLP's.
"""

from __future__ import annotations

import base64
import json
import zlib
from typing import Any

from google.protobuf.json_format import MessageToDict, ParseDict
from google.protobuf.message import DecodeError, Message
from opentelemetry.proto.collector.logs.v1 import logs_service_pb2 as logs
from opentelemetry.proto.collector.metrics.v1 import metrics_service_pb2 as metrics
from opentelemetry.proto.collector.trace.v1 import trace_service_pb2 as traces

from hardy_gauge.capture.imports.rejected_rows import RejectedRows
from hardy_gauge.errors import Malformed, NotFound, TooLarge, WrongMediaType

JSON, PROTOBUF = "application/json", "application/x-protobuf"
REQUESTS: dict[str, type[Message]] = {
    "traces": traces.ExportTraceServiceRequest, "metrics": metrics.ExportMetricsServiceRequest,
    "logs": logs.ExportLogsServiceRequest,
}  # fmt: skip
ANSWERS: dict[str, type[Message]] = {
    "traces": traces.ExportTraceServiceResponse, "metrics": metrics.ExportMetricsServiceResponse,
    "logs": logs.ExportLogsServiceResponse,
}  # fmt: skip
COUNTED = {"traces": "rejectedSpans", "metrics": "rejectedDataPoints", "logs": "rejectedLogRecords"}
MOST_REASONS = 5


def check(signal: str, media: str) -> None:
    """NotFound for a signal that is none, WrongMediaType for a form that is none; before a body is read."""
    if signal not in REQUESTS:
        raise NotFound(f"signal: {', '.join(REQUESTS)} are accepted here", "signal", "Unknown signal")
    if media not in (JSON, PROTOBUF):
        raise WrongMediaType(f"content-type: OTLP is accepted as {PROTOBUF} and {JSON}", "content-type")


def unpacked(body: bytes, encoding: str, most_bytes: int) -> bytes:
    """A body without its content encoding; TooLarge beyond ``most_bytes``, Malformed when it is not so encoded."""
    if encoding in ("", "identity"):
        return body
    if encoding != "gzip":
        raise WrongMediaType("content-encoding: gzip, or none, was expected", "content-encoding")
    unzip = zlib.decompressobj(zlib.MAX_WBITS | 16)
    try:
        content = unzip.decompress(body, most_bytes + 1)
    except zlib.error as error:
        raise Malformed("body: it is not compressed with gzip", "body", "Not gzip") from error
    if len(content) > most_bytes:
        raise TooLarge(f"body: at most {most_bytes:,} bytes were expected once it is unpacked", "body")
    if not unzip.eof:
        raise Malformed("body: the compressed data end too early", "body", "Not gzip")
    return content


def document_of(signal: str, media: str, content: bytes) -> Any:
    """A message in OTLP's JSON form, decoded."""
    if media == JSON:
        try:
            return json.loads(content)
        except (ValueError, RecursionError) as error:
            raise Malformed("body: a JSON object of OTLP was expected", "body", "Not JSON") from error
    message = REQUESTS[signal]()
    try:
        message.ParseFromString(content)
        document = MessageToDict(message, use_integers_for_enums=True)
    except (DecodeError, ValueError, RecursionError) as error:
        raise Malformed(f"body: a message of OTLP's {signal} was expected", "body", "Not protobuf") from error
    for resource in document.get("resourceSpans", []):
        for scope in resource.get("scopeSpans", []):
            for span in scope.get("spans", []):
                for key in ("traceId", "spanId"):
                    span[key] = base64.b64decode(span.get(key, "")).hex()
    return document


def partial_success(signal: str, rejected: RejectedRows) -> dict[str, Any]:
    """The answer to a message as OTLP has it: empty, or how many spans or data points were rejected and why."""
    if not rejected.count:
        return {}
    words = "; ".join(f"{count} × {why}" for why, count in rejected.reasons.most_common(MOST_REASONS))
    return {"partialSuccess": {COUNTED[signal]: str(rejected.count), "errorMessage": words}}


def encoded(signal: str, media: str, answer: dict[str, Any]) -> bytes:
    """An answer in the form of its request."""
    if media == JSON:
        return json.dumps(answer).encode()
    made: bytes = ParseDict(answer, ANSWERS[signal]()).SerializeToString()
    return made
