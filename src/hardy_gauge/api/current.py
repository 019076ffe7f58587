"""What a request stands on: the reader of the store, the window, and who asks."""

from __future__ import annotations

from collections.abc import Callable
from typing import Annotated, TypeVar, cast

from fastapi import Depends, Query, Request

from hardy_gauge.api.sign_in_limits import PasswordPool, SignInLimits
from hardy_gauge.capture.access import AccountUser
from hardy_gauge.core.time.window import Window, parse_window
from hardy_gauge.queries.now import LookOf
from hardy_gauge.queries.reader import Reader
from hardy_gauge.settings import AppSettings
from hardy_gauge.store.who import Who

T = TypeVar("T")


def state_of(name: str, kind: type[T]) -> Callable[[Request], T]:
    """What the application keeps under this name in its state."""

    def found(request: Request) -> T:
        return cast(T, getattr(request.app.state, name))

    return found


reader_of = state_of("reader", Reader)
settings_of = state_of("settings", AppSettings)
limits_of = state_of("sign_in_limits", SignInLimits)
passwords_of = state_of("passwords", PasswordPool)


def looks_of(request: Request) -> LookOf:
    """Where the last look at a server's sessions is found."""
    return cast(LookOf, request.app.state.look_of)


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


def account_user_of(request: Request) -> AccountUser:
    """Who asks, as they use accounts of the keyring."""
    who = who_of(request)
    return AccountUser(who.person if who else "", who is not None and who.may("administrator"))


CurrentReader = Annotated[Reader, Depends(reader_of)]
CurrentSettings = Annotated[AppSettings, Depends(settings_of)]
CurrentWindow = Annotated[Window, Depends(window_of)]
CurrentAccountUser = Annotated[AccountUser, Depends(account_user_of)]
CurrentLooks = Annotated[LookOf, Depends(looks_of)]
CurrentName = Annotated[str, Depends(name_of)]
