"""What a request stands on: the reader of the store, the window, and who asks."""

from __future__ import annotations

from typing import Annotated

from fastapi import Depends, Query, Request

from hardy_gauge.api.sign_in_limits import PasswordPool, SignInLimits
from hardy_gauge.core.time.window import Window, parse_window
from hardy_gauge.queries.reader import Reader
from hardy_gauge.settings import AppSettings
from hardy_gauge.store.who import Who


def reader_of(request: Request) -> Reader:
    reader: Reader = request.app.state.reader
    return reader


def settings_of(request: Request) -> AppSettings:
    settings: AppSettings = request.app.state.settings
    return settings


def window_of(
    request: Request,
    focus: Annotated[str, Query(description="an ISO 8601 interval, or a duration that ends now")] = "PT1H",
    reference: Annotated[
        str, Query(description="'usual' (a typical day), an ISO 8601 interval, or 'server:NAME'")
    ] = "usual",
) -> Window:
    return parse_window(focus, reference, reader_of(request).clock())


def who_of(request: Request) -> Who | None:
    """Who asks; None where nobody has to be signed in."""
    who: Who | None = request.scope.get("state", {}).get("who")
    return who


def client_of(request: Request) -> str:
    """The address that a request comes from."""
    return request.client.host if request.client else ""


def name_of(request: Request) -> str:
    """The name of who asks; empty for nobody."""
    who = who_of(request)
    return who.name if who else ""


def limits_of(request: Request) -> SignInLimits:
    limits: SignInLimits = request.app.state.sign_in_limits
    return limits


def passwords_of(request: Request) -> PasswordPool:
    passwords: PasswordPool = request.app.state.passwords
    return passwords


def administers(request: Request) -> bool:
    """Whether who asks is an administrator."""
    who = who_of(request)
    return who is not None and who.may("administrator")


CurrentReader = Annotated[Reader, Depends(reader_of)]
CurrentSettings = Annotated[AppSettings, Depends(settings_of)]
CurrentWindow = Annotated[Window, Depends(window_of)]
Administers = Annotated[bool, Depends(administers)]
CurrentName = Annotated[str, Depends(name_of)]
