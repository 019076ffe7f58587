"""Answers that are the same for everybody who sees the same servers are computed once a second and shared, each with an ETag (RFC 9110, 8.8.3).

An answer holds for the second of the application's clock in which it was asked for, and until the store is written. What a
person changes makes it new at once; for what is recorded alone, one that took long holds ``SHARE`` times as long as it took, so
that however many look at it, it takes no more than a tenth of a core.

One that took so long that a reader would notice is made anew by itself while somebody goes on asking for it, so that nobody waits
for it but the first.
"""

from __future__ import annotations

import asyncio
import hashlib
import re
import time
from collections import OrderedDict
from collections.abc import Callable
from dataclasses import dataclass

from starlette.datastructures import Headers, MutableHeaders
from starlette.types import ASGIApp, Message, Receive, Scope, Send

from hardy_gauge.store.database import Store
from hardy_gauge.store.reach import Reach, reach

SHARED = re.compile(
    r"/api/(fleet|tape|servers/[^/]+(/objects|/tables/[^/]+|/figures|/host|/sizing)?|ledger|statements(/[^/]+)?|findings|holdups|strips(/against)?|compare|changes"
    r"|clusters/[^/]+|log|recurrences|figures|indexes)"
)
MOST_KEPT = 256
MOST_BYTES = 4 * 2**20
SHARE = 10.0
NOTICED_S = 0.1  # a reader notices that it took so long
FOLLOWED_S = 25.0  # a screen asks every ten seconds: by then two were left out
OLDEST_S = 20.0  # no answer that is made by itself is older
MOST_FOLLOWED = 40
_Key = tuple[str, bytes, Reach | None]


@dataclass
class _Answer:
    at: tuple[int, int]
    acts: int
    good_until_s: float
    start: Message
    body: bytes
    etag: str
    route: object
    took_s: float
    made_s: float
    asked_s: float


class SharedAnswers:
    """ASGI middleware; it comes after who asks is known to be allowed to. ``longest_s`` is the most that an answer holds while
    only what is recorded changes.
    """

    def __init__(self, app: ASGIApp, store: Store, clock: Callable[[], int], longest_s: float) -> None:
        self.app, self.store, self.clock, self.longest_s = app, store, clock, longest_s
        self._kept: OrderedDict[_Key, _Answer] = OrderedDict()
        self._locks: dict[_Key, asyncio.Lock] = {}
        self._followed: dict[_Key, asyncio.Task[None]] = {}

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        if scope["type"] != "http" or scope["method"] != "GET" or not SHARED.fullmatch(scope["path"]):
            await self.app(scope, receive, send)
            return
        key = (scope["path"], scope.get("query_string", b""), reach())
        found = self._kept.get(key)
        if found is None or not self._is_kept_fresh(key, found):
            found = await self._held_or_computed(key, scope, receive, send)
        if found is not None:
            found.asked_s = time.monotonic()
            await self._send(found, scope, send)

    async def _held_or_computed(self, key: _Key, scope: Scope, receive: Receive, send: Send) -> _Answer | None:
        lock = self._locks.setdefault(key, asyncio.Lock())
        async with lock:
            found = self._kept.get(key)
            if found is None or not self._holds(found):
                asked = dict(scope)
                found = await self._computed(key, scope, receive, send)
                if found is not None and self._is_worth_following(key, found):
                    self._followed[key] = asyncio.create_task(self._follow(key, asked))
        if not lock.locked():
            self._locks.pop(key, None)
        return found

    def _is_kept_fresh(self, key: _Key, found: _Answer) -> bool:
        return (
            key in self._followed
            and found.acts == self.store.health.acts
            and time.monotonic() < found.made_s + OLDEST_S
        )

    def _is_worth_following(self, key: _Key, found: _Answer) -> bool:
        slow = self.longest_s > 0 and found.took_s > NOTICED_S
        return slow and key not in self._followed and len(self._followed) < MOST_FOLLOWED

    async def _follow(self, key: _Key, asked: Scope) -> None:
        """Make an answer anew as long as somebody asks for it."""

        async def nothing() -> Message:
            return {"type": "http.request", "body": b"", "more_body": False}

        async def unheard(message: Message) -> None:
            """Nobody waits for it."""

        try:
            while (found := self._kept.get(key)) is not None:
                due = found.made_s + min(max(self.longest_s, found.took_s * SHARE), OLDEST_S - 2 * found.took_s)
                await asyncio.sleep(max(due - time.monotonic(), found.took_s))
                if time.monotonic() - found.asked_s > FOLLOWED_S:
                    return
                made = await self._computed(key, dict(asked), nothing, unheard)
                if made is None or made.took_s > OLDEST_S / 4:
                    return
                made.asked_s = found.asked_s
        finally:
            del self._followed[key]

    def _holds(self, found: _Answer) -> bool:
        lasting = found.acts == self.store.health.acts and time.monotonic() < found.good_until_s
        return lasting or found.at == self._now()

    def _now(self) -> tuple[int, int]:
        return self.clock() // 1_000_000, self.store.health.writes

    async def _computed(self, key: _Key, scope: Scope, receive: Receive, send: Send) -> _Answer | None:
        """The answer; None when it is one that cannot be shared, which is sent then."""
        at, acts, began = self._now(), self.store.health.acts, time.monotonic()
        messages, parts = list[Message](), list[bytes]()

        async def keep(message: Message) -> None:
            messages.append(message)
            parts.append(message.get("body", b""))

        await self.app(scope, receive, keep)
        start, body = messages[0], b"".join(parts)
        if start["status"] != 200 or len(body) > MOST_BYTES:
            for message in messages:
                await send(message)
            return None
        ended = time.monotonic()
        took = ended - began
        made = _Answer(
            at, acts, ended + min(self.longest_s, took * SHARE), start, body, f'"{hashlib.sha256(body).hexdigest()[:32]}"',
            scope.get("route"), took, ended, ended,
        )  # fmt: skip
        self._kept[key] = made
        self._kept.move_to_end(key)
        while len(self._kept) > MOST_KEPT:
            self._kept.popitem(last=False)
        return made

    @staticmethod
    async def _send(found: _Answer, scope: Scope, send: Send) -> None:
        scope["route"] = found.route  # for whoever counts answers by route
        start = {**found.start, "headers": list(found.start["headers"])}
        headers = MutableHeaders(scope=start)
        headers["etag"] = found.etag
        headers["cache-control"] = "private, no-cache"
        asked = Headers(scope=scope).get("if-none-match", "")
        if found.etag in [one.strip().removeprefix("W/") for one in asked.split(",")]:
            start["status"] = 304
            for name in ("content-length", "content-type"):
                if name in headers:
                    del headers[name]
            await send(start)
            await send({"type": "http.response.body", "body": b""})
            return
        await send(start)
        await send({"type": "http.response.body", "body": found.body})
