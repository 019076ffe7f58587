"""How a connection to PostgreSQL is opened: to addresses that were checked, and encrypted unless the account says otherwise.

Parameters are those of libpq (PostgreSQL documentation, "Parameter Key Words"). Nothing is taken from the environment or
from files of the user that the application runs as.
"""

from __future__ import annotations

import tempfile
from collections.abc import Iterator, Sequence
from contextlib import contextmanager
from typing import Any

from sqlalchemy import URL

from hardy_gauge.probes.outbound import Credential, Endpoint

CONNECT_S = 5


@contextmanager
def arguments(
    url: URL, endpoint: Endpoint, addresses: Sequence[str], credential: Credential | None
) -> Iterator[dict[str, Any]]:
    """What the driver is given. A secret goes over TLS with a verified certificate, or over a local socket, or as the account
    allows; it is never handed to a server that asks for it in clear text.
    """
    count = max(1, len(addresses))
    found: dict[str, Any] = {
        "host": ",".join([endpoint.host] * count), "port": ",".join([str(endpoint.port)] * count),
        "dbname": url.database or "", "user": (credential.user if credential else "") or url.username or "",
        "password": credential.secret if credential else "", "passfile": "/dev/null", "gssencmode": "disable",
        "require_auth": "!password", "sslmode": str(url.query.get("sslmode", "prefer")), "connect_timeout": CONNECT_S,
        "sslcert": "", "sslkey": "",
    }  # fmt: skip
    if addresses:
        found["hostaddr"] = ",".join(addresses)
    encrypted = credential is not None and not credential.plain_text and not endpoint.local
    if encrypted or found["sslmode"].startswith("verify"):
        found |= {"sslmode": "verify-full", "sslrootcert": "system"}
    if not encrypted or credential is None or not credential.certificate:
        yield {name: value for name, value in found.items() if value != "" or name in ("password", "sslcert", "sslkey")}
        return
    with tempfile.NamedTemporaryFile("w", suffix=".pem") as file:
        file.write(credential.certificate)
        file.flush()
        yield found | {"sslrootcert": file.name}
