"""Every request gets a number, is timed and counted; what goes wrong within is logged under its number."""

from __future__ import annotations

import logging
import re
import secrets
import time

from starlette.datastructures import Headers, MutableHeaders
from starlette.types import ASGIApp, Message, Receive, Scope, Send

from hardy_gauge.api.own_metrics import OwnMetrics
from hardy_gauge.api.problems import answer
from hardy_gauge.logs import request_id

log = logging.getLogger(__name__)
HEADER = "x-request-id"
GIVEN = re.compile(r"[A-Za-z0-9._-]{1,64}")


def _route(scope: Scope) -> str:
    """The path as the API states it; one name for all pages, and one for all paths that are none."""
    path = str(getattr(scope.get("route"), "path", ""))
    if not scope["path"].startswith("/api"):
        return path if path == "/metrics" else "page"
    return f"/api{path.removeprefix('/api')}" if path else "unknown"


class RequestTracking:
    """ASGI middleware, the outermost. A number that the caller gives is kept where it is plain."""

    def __init__(self, app: ASGIApp, metrics: OwnMetrics) -> None:
        self.app, self.metrics = app, metrics

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        if scope["type"] != "http":
            await self.app(scope, receive, send)
            return
        given = Headers(scope=scope).get(HEADER, "")
        number = given if GIVEN.fullmatch(given) else secrets.token_hex(8)
        token = request_id.set(number)
        began, status = time.monotonic(), 0

        async def numbered(message: Message) -> None:
            nonlocal status
            if message["type"] == "http.response.start":
                status = message["status"]
                MutableHeaders(scope=message)[HEADER] = number
            await send(message)

        try:
            await self.app(scope, receive, numbered)
        except Exception:
            log.exception("%s %s failed", scope["method"], scope["path"])
            if status:
                raise
            detail = f"it is a fault of the application; its log has more under the request {number}"
            await answer(500, "Something went wrong", detail)(scope, receive, numbered)
        finally:
            self.metrics.answered(scope["method"], _route(scope), status or 500, time.monotonic() - began)
            request_id.reset(token)
