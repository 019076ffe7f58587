"""Signing in through an OpenID Connect provider: authorization code flow with PKCE (OpenID Connect Core 1.0, RFC 7636)."""

from __future__ import annotations

from typing import TYPE_CHECKING, cast

from fastapi import APIRouter, Request, Response
from fastapi.responses import RedirectResponse
from starlette.concurrency import run_in_threadpool

from hardy_gauge.api.browser import sign_in_browser
from hardy_gauge.api.current import CurrentReader, CurrentSettings, client_of
from hardy_gauge.errors import NotFound, NotSignedIn
from hardy_gauge.queries.reader import Reader
from hardy_gauge.settings import AppSettings
from hardy_gauge.store.audit import Acting, acting
from hardy_gauge.store.persons import provided_person
from hardy_gauge.store.who import role_of

if TYPE_CHECKING:  # what it stands on is only needed where a provider is set up
    from hardy_gauge.api.openid import OpenIdProvider, SignedIn

router = APIRouter(tags=["sign-in"], prefix="/sign-in/provider")
FLOW_COOKIE = "hardy_gauge_flow"


def _provider(request: Request) -> OpenIdProvider:
    found = cast("OpenIdProvider | None", request.app.state.provider)
    if found is None:
        raise NotFound("no provider is set up; see HARDY_GAUGE_OIDC_ISSUER", "", "No provider")
    return found


def _return_address(request: Request, settings: AppSettings) -> str:
    base = settings.public_address or str(request.base_url).rstrip("/")
    return f"{base}/api/sign-in/provider/return"


@router.get("", response_class=RedirectResponse, status_code=303)
async def begin(request: Request, settings: CurrentSettings, again: bool = False) -> Response:
    """To the provider's own page; ``again`` has it ask who one is, also of somebody it knows."""
    provider = _provider(request)
    address, kept = await provider.begin(_return_address(request, settings), again)
    response = RedirectResponse(address, 303)
    response.set_cookie(FLOW_COOKIE, kept, httponly=True, samesite="lax", secure=request.url.scheme == "https")
    return response


@router.get("/return", response_class=RedirectResponse, status_code=303)
async def come_back(
    request: Request, reader: CurrentReader, settings: CurrentSettings, state: str = "", code: str = "", error: str = ""
) -> Response:
    """From the provider's page: signed in, and on to the application."""
    provider = _provider(request)
    flow = provider.flow_of(request.cookies.get(FLOW_COOKIE, ""), state)
    if flow is None or error or not code:
        raise NotSignedIn(
            f"provider: it did not sign you in{f' ({error[:60]})' if error else ''}; begin again", "provider"
        )
    found = await provider.finish(flow, code)
    response = RedirectResponse("/", 303)
    await run_in_threadpool(_enter, reader, settings, found, request, response)
    response.delete_cookie(FLOW_COOKIE)
    return response


def _enter(reader: Reader, settings: AppSettings, found: SignedIn, request: Request, response: Response) -> None:
    act = Acting(found.name, "sign-in by provider", request.url.path, client_of(request), reader.clock())
    with acting(act), reader.store.write() as session:
        person = provided_person(session, found.subject, found.name, role_of(settings, found.groups), reader.clock())
        sign_in_browser(reader, session, person, request, response)
