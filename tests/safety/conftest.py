"""One application for the tests of this folder, as a process; loopback is allowed only where a test says so."""

from __future__ import annotations

from collections.abc import Iterator

import httpx
import pytest

from tests.safety.running import ROLES, Application


@pytest.fixture(scope="session")
def app(tmp_path_factory: pytest.TempPathFactory) -> Iterator[Application]:
    made = Application(
        tmp_path_factory.mktemp("safety") / "data",
        HARDY_GAUGE_TRIAL_MEMORY="512 MiB",
        HARDY_GAUGE_IMPORT_MEMORY="300 MiB",
    )
    try:
        made.first()
        yield made
    finally:
        made.close()


@pytest.fixture(scope="session")
def people(app: Application) -> dict[str, httpx.Client]:
    """A client signed in with each role."""
    return {role: app.as_(role) for role in ROLES}


@pytest.fixture
def engineer(people: dict[str, httpx.Client]) -> httpx.Client:
    return people["engineer"]


@pytest.fixture
def administrator(people: dict[str, httpx.Client]) -> httpx.Client:
    return people["administrator"]
