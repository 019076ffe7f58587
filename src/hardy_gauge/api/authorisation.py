"""Before every request: who asks, whether they may; after every write: a line in the audit log. And the headers."""

from __future__ import annotations

import re
import secrets
from collections.abc import Callable
from http.cookies import CookieError, SimpleCookie

from sqlalchemy import select
from starlette.concurrency import run_in_threadpool
from starlette.datastructures import Headers, MutableHeaders
from starlette.types import ASGIApp, Message, Receive, Scope, Send

from hardy_gauge.api.problems import answer
from hardy_gauge.store.database import Store
from hardy_gauge.store.people import Audit, SignIn, Token
from hardy_gauge.store.who import Role, Who, hashed, of_cookie, of_token

COOKIE = "hardy_gauge"
CSRF_HEADER = "x-csrf-token"
READS = ("GET", "HEAD", "OPTIONS")
POLICY = (
    "default-src 'self'; style-src 'self' 'unsafe-inline'; img-src 'self' data: blob:; font-src 'self' data:; "
    "frame-ancestors 'self'; base-uri 'none'; form-action 'self'; object-src 'none'"
)
HEADERS = {
    "content-security-policy": POLICY, "x-content-type-options": "nosniff", "referrer-policy": "same-origin",
    "x-frame-options": "SAMEORIGIN", "cross-origin-opener-policy": "same-origin",
}  # fmt: skip
# method, path and the least role; the first that fits counts. None: nobody has to be signed in.
RULES: tuple[tuple[str, str, Role | None], ...] = (
    ("*", r"/api/(health|me|first|sign-in|sign-in/demo|sign-out)", None),
    ("*", r"/api/(people|audit)(/.*)?", "administrator"),
    ("*", r"/api/tokens(/.*)?", "viewer"),
    ("POST", r"/api/me/password", "viewer"),
    (
        "POST",
        r"/api/(plans/read|capture-rules/preview|capture-rules/missed|connections/read|connections/[^/]+/reports)",
        "viewer",
    ),
    ("READ", r"/api/accounts", "engineer"),
    ("*", r"/api/accounts(/.*)?", "administrator"),
    ("PUT", r"/api/storage/limits", "administrator"),
    ("READ", r"/.*", "viewer"),
    ("*", r"/.*", "engineer"),
)
UNRECORDED = re.compile(
    r"/api/(plans/read|capture-rules/preview|capture-rules/missed|connections/(read|test|[^/]+/reports)|trials/(draft|words)|otlp/v1/\w+|imports/\d+/look|servers/[^/]+/explain)"
)


def least_role(method: str, path: str) -> Role | None:
    """The least role that may do this; None when nobody needs to be signed in."""
    for wanted, pattern, role in RULES:
        fits = wanted in ("*", method) or (wanted == "READ" and method in READS)
        if fits and re.fullmatch(pattern, path):
            return role
    return "administrator"


class Authorisation:
    """ASGI middleware for everything under /api."""

    def __init__(self, app: ASGIApp, store: Store, clock: Callable[[], int]) -> None:
        self.app, self.store, self.clock = app, store, clock

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        if scope["type"] != "http":
            await self.app(scope, receive, send)
            return
        status = 0

        async def with_headers(message: Message) -> None:
            nonlocal status
            if message["type"] == "http.response.start":
                status = message["status"]
                headers = MutableHeaders(scope=message)
                for name, value in HEADERS.items():
                    headers.setdefault(name, value)
                if scope["path"].startswith("/api"):
                    headers.setdefault("cache-control", "no-store")
            await send(message)

        path, method = scope["path"], scope["method"]
        if not path.startswith("/api"):
            await self.app(scope, receive, with_headers)
            return
        who = await run_in_threadpool(self._who, Headers(scope=scope))
        scope.setdefault("state", {})["who"] = who
        refused = self._refusal(who, method, path, Headers(scope=scope))
        if refused is not None:
            await answer(*refused)(scope, receive, with_headers)
            return
        await self.app(scope, receive, with_headers)
        if method not in READS and status < 400 and not UNRECORDED.fullmatch(path):
            now_who = scope["state"].get("who") or who
            client = scope.get("client")
            await run_in_threadpool(self._record, now_who, method, path, client[0] if client else "")

    def _who(self, headers: Headers) -> Who | None:
        now = self.clock()
        token = headers.get("authorization", "")
        key = cookie_of(headers)
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

    @staticmethod
    def _refusal(who: Who | None, method: str, path: str, headers: Headers) -> tuple[int, str, str] | None:
        role = least_role(method, path)
        if role is None:
            return None
        if who is None:
            return 401, "Not signed in", "sign in first, or send a token that is valid"
        if not who.may(role):
            return 403, "Not allowed", f"this needs the role {role}; {who.name} is {who.role}"
        if (
            who.csrf_token
            and method not in READS
            and not secrets.compare_digest(headers.get(CSRF_HEADER, ""), who.csrf_token)
        ):
            return 403, "Not from this application", f"a write from a browser needs its {CSRF_HEADER} header"
        return None

    def _record(self, who: Who | None, method: str, path: str, client: str) -> None:
        with self.store.write() as session:
            name = who.name if who else ""
            session.add(Audit(at_us=self.clock(), who=name, action=method, object=path, detail={"from": client}))


def cookie_of(headers: Headers) -> str:
    jar: SimpleCookie = SimpleCookie()
    try:
        jar.load(headers.get("cookie", ""))
    except CookieError:
        return ""
    return jar[COOKIE].value if COOKIE in jar else ""
