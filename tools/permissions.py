"""Which role each route needs, as docs/permissions.md shows it."""

from __future__ import annotations

from pathlib import Path
from tempfile import TemporaryDirectory

from fastapi import FastAPI

from hardy_gauge.api.app import create_app
from hardy_gauge.api.route_roles import CONFIRMED, READS, counts_for_parts, least_role
from hardy_gauge.settings import AppSettings
from hardy_gauge.store.database import Store
from hardy_gauge.store.roles import ROLES
from hardy_gauge.store.who import CONFIRMED_US

HEAD = """# Who may do what

A viewer looks, an engineer tries and changes, an administrator decides who may and what a secret is used for. A token may
do what its scope and its person's role both allow. Generated from the application by `make docs`; a test compares it.
"Again" are changes for which a person gives the password again when the last time was more than {minutes} minutes ago.
A role is for the whole fleet, or for the servers of one cluster or with one label. "Parts" are routes where such a role counts:
all other servers are left out of the answer, and cannot be changed; "own" is of nobody but who asks. Everything else needs the role for the whole fleet.

| route | | viewer | engineer | administrator | nobody | parts |
|---|---|---|---|---|---|---|
"""


def routes_of(app: FastAPI) -> list[tuple[str, str]]:
    """Method and path of every route of the API, as OpenAPI states them."""
    return sorted((method.upper(), path) for path, methods in app.openapi()["paths"].items() for method in methods)


def table() -> str:
    """The page."""
    with TemporaryDirectory() as folder:
        settings = AppSettings(data=Path(folder), web=Path("/nowhere"))
        store = Store(settings.store_path)
        routes = routes_of(create_app(settings, store))
        store.close()
    lines = []
    for method, path in sorted(routes, key=lambda route: (route[1], route[0])):
        least = least_role(method, path)
        may = ["yes" if least is None or ROLES.index(role) >= ROLES.index(least) else "" for role in ROLES]
        again = "again" if method not in READS and CONFIRMED.fullmatch(path) else ""
        parts = "yes" if counts_for_parts(method, path) else "own" if counts_for_parts(method, path, own=True) else ""
        lines.append(
            f"| `{method} {path}` | {again} | {' | '.join(may)} | {'yes' if least is None else ''} | {parts} |"
        )
    return HEAD.format(minutes=CONFIRMED_US // 60_000_000) + "\n".join(lines) + f"\n\n{len(lines)} routes.\n"
