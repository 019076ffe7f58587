"""The probe for an address: the protocol over HTTP, a database through its pack, or a SQLite file."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path

from sqlalchemy import make_url
from sqlalchemy.exc import ArgumentError

from hardy_gauge.probes.http import HttpProbe
from hardy_gauge.probes.outbound import EXPECTED, Credential, policy
from hardy_gauge.probes.protocol import Probe, ProbeError
from hardy_gauge.probes.sqlite import SqliteProbe
from hardy_gauge.probes.sqlpack.pack import FigureQuery, pack_for
from hardy_gauge.probes.sqlpack.probe import SqlPackProbe

SECRET_PARTS = {"password", "passfile", "sslpassword"}


def open_probe(
    address: str, credential: Credential | None = None, figures: Sequence[FigureQuery] = (), deadline_s: float = 5.0
) -> Probe:
    """A probe that has not asked anything yet. For a probe over HTTP the credential's secret is its token. ProbeError when
    the address is of no known kind.
    """
    try:
        url = make_url(address)
    except ArgumentError as error:
        raise ProbeError(f"the address is none of: {EXPECTED}") from error
    if url.password is not None or SECRET_PARTS & set(url.query):
        raise ProbeError("a password does not belong in an address; add it to the keyring")
    if url.drivername in ("http", "https"):
        return HttpProbe(address, deadline_s, credential)
    if url.drivername == "sqlite" and url.database:
        return SqliteProbe(policy().file(Path(url.database)))
    if pack_for(url.drivername) is None:
        raise ProbeError(f"the address is none of: {EXPECTED}")
    return SqlPackProbe(address, figures, deadline_s, credential)
