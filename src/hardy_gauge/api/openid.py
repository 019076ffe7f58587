"""The other side of signing in: an OpenID Connect provider, found by its issuer (OpenID Connect Discovery 1.0)."""

from __future__ import annotations

import json
import secrets
import time
import warnings
from dataclasses import asdict, dataclass
from typing import Any
from urllib.parse import urlsplit

import httpx
from authlib.oauth2.rfc7636 import create_s256_code_challenge
from cryptography.fernet import Fernet, InvalidToken
from joserfc import jwt
from joserfc.errors import JoseError
from joserfc.jwk import KeySet

from hardy_gauge.api.allowed_hosts import is_loopback
from hardy_gauge.errors import InvalidInput, NotSignedIn, ProviderError
from hardy_gauge.settings import AppSettings

with warnings.catch_warnings():
    warnings.simplefilter("ignore")  # it announces its next client, which is another package
    from authlib.integrations.httpx_client import AsyncOAuth2Client

DEADLINE_S = 10.0
KNOWN_S = 3600.0
FLOW_S = 600
LEEWAY_S = 60
ALGORITHMS = ["RS256", "ES256", "PS256"]


@dataclass(frozen=True)
class Flow:
    """One sign-in that is under way at the provider: what comes back has to fit it."""

    state: str
    nonce: str
    verifier: str
    came_back_to: str


@dataclass(frozen=True)
class SignedIn:
    """Whom the provider vouches for: ``subject`` is unique for ever, ``name`` is what they are called here."""

    subject: str
    name: str
    groups: tuple[str, ...]


class OpenIdProvider:
    """Of one issuer. A flow is kept by the browser that began it, encrypted, for ten minutes."""

    def __init__(self, settings: AppSettings) -> None:
        parts = urlsplit(settings.oidc_issuer)
        if parts.scheme != "https" and not is_loopback(parts.hostname or ""):
            raise InvalidInput("oidc_issuer: an address with https:// was expected", "oidc_issuer")
        self.settings = settings
        self._seal = Fernet(Fernet.generate_key())
        self._known: tuple[float, dict[str, Any], KeySet] | None = None

    async def begin(self, come_back_to: str, again: bool) -> tuple[str, str]:
        """Where the browser has to go, and what it has to bring back as a cookie."""
        described, _ = await self._described()
        verifier, nonce = secrets.token_urlsafe(48), secrets.token_urlsafe(24)
        async with self._client(come_back_to) as client:
            more = {"prompt": "login", "max_age": "0"} if again else {}
            address, state = client.create_authorization_url(
                described["authorization_endpoint"], nonce=nonce, code_challenge=create_s256_code_challenge(verifier),
                code_challenge_method="S256", **more,
            )  # fmt: skip
        flow = Flow(state, nonce, verifier, come_back_to)
        return address, self._seal.encrypt(json.dumps(asdict(flow)).encode()).decode()

    def flow_of(self, cookie: str, state: str) -> Flow | None:
        """The flow of a browser; None when it is none, too old, or of another state."""
        try:
            flow = Flow(**json.loads(self._seal.decrypt(cookie.encode(), ttl=FLOW_S)))
        except InvalidToken:
            return None
        return flow if secrets.compare_digest(flow.state.encode(), state.encode()) else None

    async def finish(self, flow: Flow, code: str) -> SignedIn:
        """Exchange the code, and check what the provider says: its signature, issuer, audience, time and nonce."""
        described, keys = await self._described()
        try:
            async with self._client(flow.came_back_to) as client:
                token = await client.fetch_token(described["token_endpoint"], code=code, code_verifier=flow.verifier)
            found = jwt.decode(str(token.get("id_token", "")), keys, algorithms=ALGORITHMS)
            jwt.JWTClaimsRegistry(
                leeway=LEEWAY_S, iss={"essential": True, "value": self.settings.oidc_issuer},
                aud={"essential": True, "value": self.settings.oidc_client}, exp={"essential": True},
                nonce={"essential": True, "value": flow.nonce}, sub={"essential": True},
            ).validate(found.claims)  # fmt: skip
        except (JoseError, ValueError) as error:
            raise NotSignedIn(
                f"provider: what it says cannot be trusted ({type(error).__name__})", "provider"
            ) from error
        except Exception as error:  # the client raises what its transport and the provider's refusal give
            raise ProviderError(
                f"provider: the code could not be exchanged ({type(error).__name__})", "provider"
            ) from error
        claims = found.claims
        name = str(claims.get(self.settings.oidc_name_claim) or claims["sub"])
        name = "-".join(name.replace("/", " ").split())[:80]
        groups = claims.get(self.settings.oidc_groups_claim, [])
        return SignedIn(
            f"{self.settings.oidc_issuer} {claims['sub']}", name,
            tuple(map(str, groups if isinstance(groups, list) else [groups])),
        )  # fmt: skip

    def _client(self, come_back_to: str) -> AsyncOAuth2Client:
        return AsyncOAuth2Client(
            self.settings.oidc_client, self.settings.oidc_secret.get_secret_value() or None, redirect_uri=come_back_to,
            scope="openid profile", timeout=DEADLINE_S, trust_env=False, follow_redirects=False,
        )  # fmt: skip

    async def _described(self) -> tuple[dict[str, Any], KeySet]:
        if self._known is not None and time.monotonic() - self._known[0] < KNOWN_S:
            return self._known[1], self._known[2]
        issuer = self.settings.oidc_issuer.rstrip("/")
        try:
            async with httpx.AsyncClient(timeout=DEADLINE_S, trust_env=False, follow_redirects=False) as client:
                described = (await client.get(f"{issuer}/.well-known/openid-configuration")).raise_for_status().json()
                if described.get("issuer") != self.settings.oidc_issuer:
                    raise ProviderError("provider: it says that it is another issuer", "provider")
                keys = KeySet.import_key_set((await client.get(described["jwks_uri"])).raise_for_status().json())
        except (httpx.HTTPError, KeyError, ValueError, JoseError) as error:
            raise ProviderError(
                f"provider: it does not answer as OpenID Connect says ({type(error).__name__})", "provider"
            ) from error
        self._known = (time.monotonic(), described, keys)
        return described, keys
