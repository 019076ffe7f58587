"""How much a request's body may be, how long it may take, and how many may come at once."""

from __future__ import annotations

import asyncio
import re
import time
from collections import Counter
from collections.abc import Awaitable, Callable

from starlette.datastructures import Headers
from starlette.exceptions import HTTPException
from starlette.types import ASGIApp, Message, Receive, Scope, Send

from hardy_gauge.api.problems import TITLES, answer

KIB, MIB, GIB = 2**10, 2**20, 2**30
# path and the most bytes, the first that fits counts; "stored" bodies go to a file as they come, others are kept in memory
CEILINGS: tuple[tuple[str, int, bool], ...] = (
    (r"/api/imports", 8 * GIB, True),
    (r"/api/bundles", 4 * GIB, True),
    (r"/api/otlp/v1/\w+", 64 * MIB, False),
    (r"/api/trials(/words)?", 64 * MIB, False),
    (r"/api/plans/read", 16 * MIB, False),
    (r"/api/(connections/read|capture-rules/yaml)", 4 * MIB, False),
    (r"/api/(first|sign-in|sign-in/demo|sign-out|me/.*)", 16 * KIB, False),
    (r".*", 2 * MIB, False),
)
BEFORE_SIGN_IN = re.compile(r"/api/(first|sign-in|sign-in/demo|sign-out|me)")
PATIENCE_S = 20.0
LEAST_PER_S = 8 * KIB
MOST_AT_ONCE = 64
MOST_OF_ADDRESS = 24
MOST_BEFORE_SIGN_IN = 32
MOST_IN_MEMORY = 256 * MIB


class BodyRefused(HTTPException):
    """A body that is too large, too slow, or one too many."""


def ceiling(path: str) -> tuple[int, bool]:
    """The most bytes of a body, and whether it goes to a file as it comes."""
    return next((most, stored) for pattern, most, stored in CEILINGS if re.fullmatch(pattern, path, re.DOTALL))


class BodyLimits:
    """ASGI middleware; it comes after who asks is known, so that nobody's body is read for a request that is refused."""

    def __init__(self, app: ASGIApp) -> None:
        self.app = app
        self._coming: Counter[str] = Counter()
        self._early = self._bytes = 0

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        headers = Headers(scope=scope) if scope["type"] == "http" else Headers()
        if not ("transfer-encoding" in headers or headers.get("content-length", "0") != "0"):
            await self.app(scope, receive, send)
            return
        most, stored = ceiling(scope["path"])
        length = headers.get("content-length", "")
        if length.isdigit() and int(length) > most:
            await self._refuse(413, _large(most), scope, receive, send)
            return
        address, early = (scope.get("client") or ("",))[0], BEFORE_SIGN_IN.fullmatch(scope["path"]) is not None
        if (
            self._coming.total() >= MOST_AT_ONCE
            or self._coming[address] >= MOST_OF_ADDRESS
            or (early and self._early >= MOST_BEFORE_SIGN_IN)
        ):
            await self._refuse(
                503, "too many requests with a body are coming; try again in a second", scope, receive, send
            )
            return
        self._coming[address] += 1
        self._early += early

        def came() -> None:
            self._coming[address] -= 1
            self._coming += Counter()
            self._early -= early

        body = _Body(self, receive, most, stored, came)
        try:
            await self.app(scope, body.receive, send)
        finally:
            body.end()
            self._bytes -= body.held

    def hold(self, count: int) -> bool:
        """Whether so many more bytes may be kept in memory; they are counted when they may."""
        if self._bytes + count > MOST_IN_MEMORY:
            return False
        self._bytes += count
        return True

    @staticmethod
    async def _refuse(status: int, detail: str, scope: Scope, receive: Receive, send: Send) -> None:
        response = answer(status, TITLES[status], f"body: {detail}", "body")
        response.headers["connection"] = "close"
        await response(scope, receive, send)


class _Body:
    """One body as it comes."""

    def __init__(self, limits: BodyLimits, receive: Receive, most: int, stored: bool, came: Callable[[], None]) -> None:
        self.limits, self.most, self.stored, self._came = limits, most, stored, came
        self._receive: Callable[[], Awaitable[Message]] = receive
        self.size = self.held = 0
        self.began = time.monotonic()
        self.whole = self._ended = False

    def end(self) -> None:
        """It is here, or nobody wants it any more: others may come."""
        if not self._ended:
            self._ended = True
            self._came()

    async def receive(self) -> Message:
        """The next piece; BodyRefused when it is one too many, or does not come."""
        if self.whole:
            return await self._receive()
        left = self.began + PATIENCE_S + self.size / LEAST_PER_S - time.monotonic()
        try:
            message = await asyncio.wait_for(self._receive(), max(left, 0.01))
        except TimeoutError:
            raise BodyRefused(408, f"body: less than {LEAST_PER_S:,} bytes a second came") from None
        count = len(message.get("body", b""))
        self.size += count
        self.whole = message["type"] != "http.request" or not message.get("more_body", False)
        if self.size > self.most:
            raise BodyRefused(413, f"body: {_large(self.most)}")
        if not self.stored:
            if not self.limits.hold(count):
                raise BodyRefused(503, "body: too much is coming at once; try again in a second")
            self.held += count
        if self.whole:
            self.end()
        return message


def _large(most: int) -> str:
    return f"at most {most:,} bytes were expected"
