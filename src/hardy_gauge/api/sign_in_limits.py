"""How often a secret may be tried, and where it is checked."""

from __future__ import annotations

import asyncio
from collections.abc import Awaitable, Callable
from concurrent.futures import ThreadPoolExecutor
from typing import TypeVar

from limits import RateLimitItemPerMinute
from limits.storage import MemoryStorage
from limits.strategies import MovingWindowRateLimiter

from hardy_gauge.errors import TooManyTries

T = TypeVar("T")
MINUTES = 5
TRIES = RateLimitItemPerMinute(5, MINUTES)
OF_ADDRESS = RateLimitItemPerMinute(30, MINUTES)
OF_NAME = RateLimitItemPerMinute(20, MINUTES)
DELAY_S = 3.0
MOST_DELAYED = 20
MOST_WAITING = 64
RETRY_S = 10


class SignInLimits:
    """Five tries of a name from an address in five minutes; each is counted before it is looked at.

    Beyond 30 tries from an address, or 20 of a name from addresses that its person never came from, each one is answered
    three seconds later: a stranger can slow a name or a shared address down, and cannot shut it out.
    """

    def __init__(self, sleep: Callable[[float], Awaitable[None]] = asyncio.sleep) -> None:
        self._limiter = MovingWindowRateLimiter(MemoryStorage())
        self._sleep = sleep
        self._delayed = 0

    def count(self, what: str, *keys: str, field: str = "password") -> None:
        """Count a try of ``what``; TooManyTries when it is one too many."""
        if not self._limiter.hit(TRIES, what, *keys):
            raise TooManyTries(f"{field}: wait five minutes before the next try", MINUTES * 60)

    def succeeded(self, what: str, *keys: str) -> None:
        """It was right: earlier tries no longer count."""
        self._limiter.clear(TRIES, what, *keys)

    async def admit(self, name: str, address: str, known: bool) -> None:
        """Count a sign-in and wait where it has to; ``known`` is whether the person has come from there before."""
        self.count("sign in", name, address)
        slow = not self._limiter.hit(OF_ADDRESS, address)
        if not known:
            slow = not self._limiter.hit(OF_NAME, name) or slow
        if not slow:
            return
        if self._delayed >= MOST_DELAYED:
            raise TooManyTries("password: many are signing in; try again in some seconds", RETRY_S)
        self._delayed += 1
        try:
            await self._sleep(DELAY_S)
        finally:
            self._delayed -= 1


class PasswordPool:
    """Two threads in which passwords are hashed and checked, so that a burst of sign-ins leaves the rest alone."""

    def __init__(self) -> None:
        self._threads = ThreadPoolExecutor(2, "passwords")
        self._waiting = 0

    async def run(self, work: Callable[[], T]) -> T:
        """The result of ``work``; TooManyTries when too many wait already."""
        if self._waiting >= MOST_WAITING:
            raise TooManyTries("password: many are signing in; try again in some seconds", RETRY_S)
        self._waiting += 1
        try:
            return await asyncio.get_running_loop().run_in_executor(self._threads, work)
        finally:
            self._waiting -= 1

    def close(self) -> None:
        """End the threads."""
        self._threads.shutdown(wait=False, cancel_futures=True)
