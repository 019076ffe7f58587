"""Before every request: who asks, and whether they may; what they do is said to the store, for its audit log. And the headers."""

from __future__ import annotations

import secrets
from collections.abc import Callable
from http.cookies import CookieError, SimpleCookie

from sqlalchemy import select
from starlette.concurrency import run_in_threadpool
from starlette.datastructures import Headers, MutableHeaders
from starlette.types import ASGIApp, Message, Receive, Scope, Send

from hardy_gauge.api.problems import answer
from hardy_gauge.api.route_roles import (
    CONFIRMED,
    EXPORTS,
    NO_ACT,
    READS,
    WITHOUT_FACTOR,
    counts_for_parts,
    least_role,
)
from hardy_gauge.settings import FactorOf
from hardy_gauge.store.audit import Acting, acting
from hardy_gauge.store.database import Store
from hardy_gauge.store.people import SignIn, Token
from hardy_gauge.store.reach import Reach, reach_of, reaching
from hardy_gauge.store.who import Who, hashed, of_cookie, of_token

COOKIE = "hardy_gauge"
SECURE_COOKIE = "__Host-hardy_gauge"  # over TLS browsers take it from this host alone
CSRF_HEADER = "x-csrf-token"
POLICY = (
    "default-src 'self'; style-src 'self' 'unsafe-inline'; img-src 'self' data: blob:; font-src 'self' data:; "
    "frame-ancestors 'self'; base-uri 'none'; form-action 'self'; object-src 'none'"
)
HEADERS = {
    "content-security-policy": POLICY, "x-content-type-options": "nosniff", "referrer-policy": "same-origin",
    "x-frame-options": "SAMEORIGIN", "cross-origin-opener-policy": "same-origin",
}  # fmt: skip


class Authorisation:
    """ASGI middleware for everything under /api. ``confirms``: people are asked again who they are before what matters most;
    ``factor_of``: who can do nothing without a second factor but set one up.
    """

    def __init__(
        self,
        app: ASGIApp,
        store: Store,
        clock: Callable[[], int],
        confirms: bool = True,
        factor_of: FactorOf = "nobody",
    ) -> None:
        self.app, self.store, self.clock, self.confirms, self.factor_of = app, store, clock, confirms, factor_of

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        if scope["type"] != "http":
            await self.app(scope, receive, send)
            return

        async def with_headers(message: Message) -> None:
            if message["type"] == "http.response.start":
                headers = MutableHeaders(scope=message)
                for name, value in HEADERS.items():
                    headers.setdefault(name, value)
                if scope.get("scheme") == "https":
                    headers.setdefault("strict-transport-security", "max-age=31536000")
                if scope["path"].startswith(("/api", "/metrics")):
                    headers.setdefault("cache-control", "no-store")
            await send(message)

        path, method = scope["path"], scope["method"]
        if not path.startswith(("/api", "/metrics")):
            await self.app(scope, receive, with_headers)
            return
        who = await run_in_threadpool(self._who, Headers(scope=scope), scope.get("scheme", ""))
        scope.setdefault("state", {})["who"] = who
        refused = self._refusal(who, method, path, Headers(scope=scope))
        found = None if refused is not None else await run_in_threadpool(self._reach, who, method, path)
        with reaching(found):
            await self._passed(scope, receive, with_headers, who, refused)

    async def _passed(
        self, scope: Scope, receive: Receive, send: Send, who: Who | None, refused: tuple[int, str, str, str] | None
    ) -> None:
        path, method = scope["path"], scope["method"]
        if NO_ACT.fullmatch(path) and refused is None:
            await self.app(scope, receive, send)
            return
        client = scope.get("client")
        act = Acting(who.name if who else "", method, path, client[0] if client else "", self.clock())
        with acting(act):
            if refused is not None:
                if who is not None:
                    await run_in_threadpool(self.store.note, "refused", asked=method)
                await answer(*refused)(scope, receive, send)
            elif method in READS and not EXPORTS.fullmatch(path):
                with acting(None):
                    await self.app(scope, receive, send)
            else:
                if method in READS:
                    await run_in_threadpool(self.store.note, "export")
                await self.app(scope, receive, send)

    def _reach(self, who: Who | None, method: str, path: str) -> Reach | None:
        """None where a role for the whole fleet suffices, or nothing of a server is asked for."""
        role = least_role(method, path)
        if who is None or role is None or who.may(role) or not counts_for_parts(method, path):
            return None
        with self.store.read() as session:
            return reach_of(session, who.role, who.grants, role, writes=method not in READS)

    def _who(self, headers: Headers, scheme: str) -> Who | None:
        now = self.clock()
        token = headers.get("authorization", "")
        key = cookie_of(headers, scheme)
        if token.lower().startswith("bearer "):
            secret = token[7:].strip()
            with self.store.read() as session:
                found = of_token(session, secret, now)
        elif key:
            secret = key
            with self.store.read() as session:
                found = of_cookie(session, key, now)
        else:
            return None
        if found is None:
            return None
        who, due = found
        if due:
            self._seen(hashed(secret), now)
        return who

    def _seen(self, key: str, now: int) -> None:
        with self.store.write() as session:
            row = session.get(SignIn, key)
            token = session.scalar(select(Token).where(Token.key == key))
            if row is not None:
                row.seen_us = now
            if token is not None:
                token.used_us = now

    def _refusal(self, who: Who | None, method: str, path: str, headers: Headers) -> tuple[int, str, str, str] | None:
        role = least_role(method, path)
        if role is None:
            return None
        if who is None:
            return 401, "Not signed in", "sign in first, or send a token that is valid", ""
        if not who.may(role) and not (counts_for_parts(method, path, own=True) and who.may_somewhere(role)):
            return 403, "Not allowed", f"this needs the role {role}{_for_fleet(who)}; {who.name} is {who.role}", ""
        if (
            who.csrf_token
            and method not in READS
            and not secrets.compare_digest(headers.get(CSRF_HEADER, "").encode(), who.csrf_token.encode())
        ):
            return 403, "Not from this application", f"a write from a browser needs its {CSRF_HEADER} header", ""
        required = self.factor_of == "everyone" or (self.factor_of == "administrators" and who.may("administrator"))
        if required and not who.second_factor and not WITHOUT_FACTOR.fullmatch(path):
            return 403, "A second factor is needed", "second_factor: set it up first, under Setup, You", "second_factor"
        if self.confirms and method not in READS and not who.confirmed and CONFIRMED.fullmatch(path):
            return 403, "Confirm who you are", "confirm: give your password again before this is changed", "confirm"
        return None


def _for_fleet(who: Who) -> str:
    """What is said of a role that would have to be for all servers."""
    return " for the whole fleet" if who.grants else ""


def cookie_name(scheme: str) -> str:
    """What the cookie of a signed-in browser is called."""
    return SECURE_COOKIE if scheme == "https" else COOKIE


def cookie_of(headers: Headers, scheme: str) -> str:
    """What a browser's cookie holds; empty where there is none."""
    jar: SimpleCookie = SimpleCookie()
    try:
        jar.load(headers.get("cookie", ""))
    except CookieError:
        return ""
    name = cookie_name(scheme)
    return jar[name].value if name in jar else ""
