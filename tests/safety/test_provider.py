"""Signing in through an OpenID Connect provider: a stand-in on this machine, with a real key, and what it must not get away with."""

from __future__ import annotations

import base64
import hashlib
import json
import threading
import time
from collections.abc import Iterator
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer
from pathlib import Path
from typing import Any
from urllib.parse import parse_qs, urlencode, urlsplit

import httpx
import pytest
from joserfc import jwt
from joserfc.jwk import RSAKey

from tests.conftest import free_port
from tests.safety.running import Application, new_application

CLIENT, CLIENT_SECRET = "gauge", "shared-with-the-provider"


class Provider:
    """Says who the test wants. ``spoil`` changes the claims, ``signed_by`` the key, before they are signed."""

    def __init__(self) -> None:
        self.key = RSAKey.generate_key(2048, {"kid": "k1"})
        self.signed_by = self.key
        self.person = {"sub": "u-1", "preferred_username": "ada", "groups": ["dba"]}
        self.spoil: dict[str, Any] = {}
        self.unsigned = False
        self.codes: dict[str, dict[str, str]] = {}
        self.asked: list[dict[str, str]] = []
        provider = self

        class Handler(BaseHTTPRequestHandler):
            def do_GET(self) -> None:
                path, query = urlsplit(self.path).path, dict(parse_qs(urlsplit(self.path).query))
                if path == "/.well-known/openid-configuration":
                    self.answer(provider.described())
                elif path == "/keys":
                    self.answer({"keys": [provider.key.as_dict(private=False)]})
                else:
                    asked = {name: values[0] for name, values in query.items()}
                    provider.asked.append(asked)
                    code = f"code-{len(provider.codes)}"
                    provider.codes[code] = asked
                    self.send_response(302)
                    back = urlencode({"code": code, "state": asked["state"]})
                    self.send_header("location", f"{asked['redirect_uri']}?{back}")
                    self.end_headers()

            def do_POST(self) -> None:
                body = parse_qs(self.rfile.read(int(self.headers["content-length"])).decode())
                asked = provider.codes.pop(body.get("code", [""])[0], None)
                basic = base64.b64encode(f"{CLIENT}:{CLIENT_SECRET}".encode()).decode()
                verifier = hashlib.sha256(body.get("code_verifier", [""])[0].encode()).digest()
                challenge = base64.urlsafe_b64encode(verifier).rstrip(b"=").decode()
                if (
                    asked is None
                    or self.headers["authorization"] != f"Basic {basic}"
                    or challenge != asked["code_challenge"]
                ):
                    self.answer({"error": "invalid_grant"}, 400)
                    return
                self.answer({"access_token": "a", "token_type": "Bearer", "id_token": provider.token(asked["nonce"])})

            def answer(self, document: object, status: int = 200) -> None:
                self.send_response(status)
                self.send_header("content-type", "application/json")
                self.end_headers()
                self.wfile.write(json.dumps(document).encode())

            def log_message(self, *_: object) -> None:
                return

        self.http = ThreadingHTTPServer(("127.0.0.1", 0), Handler)
        self.issuer = f"http://127.0.0.1:{self.http.server_port}"
        threading.Thread(target=self.http.serve_forever, daemon=True).start()

    def described(self) -> dict[str, str]:
        return {
            "issuer": self.issuer, "authorization_endpoint": f"{self.issuer}/authorize", "jwks_uri": f"{self.issuer}/keys",
            "token_endpoint": f"{self.issuer}/token",
        }  # fmt: skip

    def token(self, nonce: str) -> str:
        now = int(time.time())
        claims = (
            {"iss": self.issuer, "aud": CLIENT, "exp": now + 300, "iat": now, "nonce": nonce} | self.person | self.spoil
        )
        if self.unsigned:
            parts = ({"alg": "none"}, claims)
            return ".".join(base64.urlsafe_b64encode(json.dumps(p).encode()).rstrip(b"=").decode() for p in parts) + "."
        header = {"alg": self.spoil.get("alg", "RS256"), "kid": "k1"}
        return jwt.encode(header, claims, self.signed_by)


@pytest.fixture(scope="module")
def served(tmp_path_factory: pytest.TempPathFactory) -> Iterator[tuple[Application, Provider]]:
    """An application whose people come from a provider."""
    made = Provider()
    settings = {
        "HARDY_GAUGE_OIDC_ISSUER": made.issuer, "HARDY_GAUGE_OIDC_CLIENT": CLIENT, "HARDY_GAUGE_OIDC_SECRET": CLIENT_SECRET,
        "HARDY_GAUGE_OIDC_NAME": "the library's sign-in", "HARDY_GAUGE_OIDC_ROLES": "dba:engineer,leads:administrator",
    }  # fmt: skip
    with new_application(tmp_path_factory.mktemp("provided") / "data", **settings) as app:
        yield app, made
    made.http.shutdown()


@pytest.fixture
def provider(served: tuple[Application, Provider]) -> Provider:
    """The stand-in, honest again."""
    made = served[1]
    made.person = {"sub": "u-1", "preferred_username": "ada", "groups": ["dba"]}
    made.spoil, made.signed_by, made.unsigned, made.asked = {}, made.key, False, []
    return made


@pytest.fixture
def app(served: tuple[Application, Provider], provider: Provider) -> Application:
    return served[0]


def signed_in(app: Application) -> tuple[httpx.Client, httpx.Response]:
    """A browser that follows the whole way."""
    browser = app.client(follow_redirects=True)
    return browser, browser.get("/api/sign-in/provider")


def test_a_person_comes_in_with_the_role_of_their_group(app: Application, provider: Provider) -> None:
    assert app.client().get("/api/me").json()["provider"] == "the library's sign-in"
    browser, _ = signed_in(app)
    me = browser.get("/api/me").json()
    assert (me["name"], me["role"], me["by_provider"]) == ("ada", "engineer", True)
    asked = provider.asked[0]
    assert asked["code_challenge_method"] == "S256" and asked["response_type"] == "code" and "openid" in asked["scope"]
    provider.person["groups"] = ["leads", "dba"]
    browser, _ = signed_in(app)
    assert browser.get("/api/me").json()["role"] == "administrator"
    head = app.head
    assert head.patch("/api/people/ada", json={"barred": True}).status_code == 200
    assert browser.get("/api/fleet").status_code == 401
    _, refused = signed_in(app)
    assert refused.status_code == 403 and refused.json()["field"] == "provider"
    lines = head.get("/api/audit").json()
    assert any(line["who"] == "ada" and line["action"] == "sign-in by provider" for line in lines)


def test_such_a_person_has_no_password(app: Application, provider: Provider) -> None:
    provider.person |= {"sub": "u-3", "preferred_username": "grace"}
    signed_in(app)
    for password in ("", "grace", "anything at all here"):
        assert app.client().post("/api/sign-in", json={"name": "grace", "password": password}).status_code == 401


def test_who_is_in_no_group_and_who_takes_a_name(app: Application, provider: Provider) -> None:
    before = app.head.get("/api/people").json()["people"]
    provider.person |= {"groups": [], "sub": "u-4", "preferred_username": "joan"}
    assert signed_in(app)[1].status_code == 403
    provider.person |= {"groups": ["dba"], "preferred_username": "administrator", "sub": "u-2"}
    assert signed_in(app)[1].status_code == 409
    assert app.head.get("/api/people").json()["people"] == before, "nobody came, and nobody changed"


SPOILT: list[dict[str, Any]] = [
    {"iss": "https://other.example"}, {"aud": "another-client"}, {"exp": 1}, {"nonce": "another"}, {"sub": None},
]  # fmt: skip


@pytest.mark.parametrize("spoil", SPOILT)
def test_claims_that_do_not_fit(app: Application, provider: Provider, spoil: dict[str, Any]) -> None:
    """OpenID Connect Core 1.0, 3.1.3.7."""
    provider.spoil = spoil
    browser, answer = signed_in(app)
    assert answer.status_code == 401 and answer.json()["field"] == "provider"
    assert not browser.get("/api/me").json()["signed_in"]


def test_another_key_and_no_signature(app: Application, provider: Provider) -> None:
    provider.signed_by = RSAKey.generate_key(2048, {"kid": "k1"})
    assert signed_in(app)[1].status_code == 401
    provider.signed_by, provider.unsigned = provider.key, True
    assert signed_in(app)[1].status_code == 401


def test_a_return_that_was_not_begun_here(app: Application, provider: Provider) -> None:
    """Another browser's code, another state, and a code twice do not sign anybody in."""
    provider.person |= {"sub": "u-5", "preferred_username": "edith"}
    browser = app.client()
    begun = browser.get("/api/sign-in/provider")
    back = httpx.get(begun.headers["location"], trust_env=False).headers["location"]
    stranger = app.client()
    assert stranger.get(back).status_code == 401 and not stranger.get("/api/me").json()["signed_in"]
    assert browser.get(back.replace("state=", "state=x")).status_code == 401
    assert browser.get(back).status_code == 303 and browser.get("/api/me").json()["signed_in"]
    assert browser.get(back).status_code == 401, "its flow is over"
    assert "HttpOnly" in begun.headers["set-cookie"] and "SameSite=lax" in begun.headers["set-cookie"]


def test_a_provider_that_fails_is_said(tmp_path: Path) -> None:
    settings = {"HARDY_GAUGE_OIDC_ISSUER": f"http://127.0.0.1:{free_port()}", "HARDY_GAUGE_OIDC_CLIENT": CLIENT}
    with new_application(tmp_path / "data", **settings) as app:
        answer = app.client().get("/api/sign-in/provider")
        assert answer.status_code == 502 and answer.json()["field"] == "provider"
        app.as_("viewer")
