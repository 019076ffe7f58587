"""One application for the tests of this folder, as a process; loopback is allowed only where a test says so."""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path

import httpx
import pytest

from tests.safety.running import ROLES, Application, new_application


@pytest.fixture(scope="session")
def app(tmp_path_factory: pytest.TempPathFactory) -> Iterator[Application]:
    ceilings = {"HARDY_GAUGE_TRIAL_MEMORY": "512 MiB", "HARDY_GAUGE_IMPORT_MEMORY": "300 MiB"}
    with new_application(tmp_path_factory.mktemp("safety") / "data", **ceilings) as made:
        yield made


@pytest.fixture(scope="module")
def own(tmp_path_factory: pytest.TempPathFactory) -> Iterator[Application]:
    """One for the tests of a file that change people and accounts."""
    with new_application(tmp_path_factory.mktemp("own") / "data") as made:
        yield made


@pytest.fixture
def fresh(tmp_path: Path) -> Iterator[Application]:
    """One for a single test, which counts tries or breaks something."""
    with new_application(tmp_path / "data") as made:
        yield made


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
