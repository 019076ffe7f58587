"""How often signing in may fail."""

from __future__ import annotations

from limits import RateLimitItemPerMinute
from limits.storage import MemoryStorage
from limits.strategies import MovingWindowRateLimiter

from hardy_gauge.errors import TooManyTries

MINUTES = 5
FAILURES = RateLimitItemPerMinute(5, MINUTES)


class SignInLimits:
    """At most five failures of a name or from an address in five minutes."""

    def __init__(self) -> None:
        self._limiter = MovingWindowRateLimiter(MemoryStorage())

    def check(self, *keys: str) -> None:
        """TooManyTries when one of the keys has failed too often."""
        if not all(self._limiter.test(FAILURES, key) for key in keys):
            raise TooManyTries("password: wait five minutes before the next try", MINUTES * 60)

    def failed(self, *keys: str) -> None:
        for key in keys:
            self._limiter.hit(FAILURES, key)
