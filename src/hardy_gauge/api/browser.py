"""The cookie of a browser that is signed in."""

from __future__ import annotations

from fastapi import Request, Response
from sqlalchemy.orm import Session

from hardy_gauge.api.authorisation import cookie_name, cookie_of
from hardy_gauge.api.current import client_of
from hardy_gauge.queries.reader import Reader
from hardy_gauge.store import who as w
from hardy_gauge.store.audit import act_as
from hardy_gauge.store.people import Person


def sign_in_browser(reader: Reader, session: Session, person: Person, request: Request, response: Response) -> None:
    """Sign a person in; the browser's old sign-in ends."""
    browser = w.Browser(client_of(request), request.headers.get("user-agent", ""))
    key = w.sign_in(session, person, browser, cookie_of(request.headers, request.url.scheme), reader.clock())
    act_as(person.name)
    response.set_cookie(
        cookie_name(request.url.scheme), key, max_age=w.SIGNED_IN_US // 1_000_000, httponly=True, samesite="strict",
        secure=request.url.scheme == "https",
    )  # fmt: skip
