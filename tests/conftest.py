"""What tests share: a store, a practice fleet in this process, and the real demo as a process."""

from __future__ import annotations

import os
import socket
import subprocess
import sys
import threading
import time
from collections.abc import Callable, Generator, Iterator
from pathlib import Path

import httpx
import pytest
import uvicorn
from hypothesis import settings

from hardy_gauge.store.database import Store
from practice_fleet.http_app import build, clock_us
from practice_fleet.scenario.document import Scenario
from practice_fleet.scenario.reading import load_scenario, shipped
from tests.patience import PATIENT_S

# groups that take longest, which begin first so that no process is left alone with one at the end
# long files whose tests share nothing: any process may take any of them
APART = ("tests/truth/test_scores.py", "tests/practice/test_facts.py", "tests/practice/test_queueing.py")
LONGEST = (
    "tests/ui",
    "test_trials_over_http",
    "test_facts",
    "test_serve_killed",
    "test_schema",
    "test_trials",
    "test_locks",
)
_demos: list[subprocess.Popen[bytes]] = []
# how long an example takes depends on what else the machine does
settings.register_profile("without deadlines", deadline=None)
settings.load_profile("without deadlines")
ROOT = Path(__file__).parents[1]
BIN = Path(sys.executable).parent
# the servers of these tests are on this machine; tests/safety starts the application without it
os.environ["HARDY_GAUGE_ALLOW_NETWORKS"] = "127.0.0.0/8"
os.environ["HARDY_GAUGE_ALLOWED_HOSTS"] = "testserver"


def _on_demo(item: pytest.Item | None) -> bool:
    return "demo" in getattr(item, "fixturenames", ())


def pytest_runtest_teardown(item: pytest.Item, nextitem: pytest.Item | None) -> None:
    """The demo works all the time: it is stopped after its last test, and not at the end of the session."""
    if _on_demo(item) and not _on_demo(nextitem):
        for process in _demos:
            stop(process)


@pytest.hookimpl(wrapper=True)
def pytest_collection_modifyitems(items: list[pytest.Item]) -> Generator[None, None, None]:
    """With several processes: a file stays in one of them, and so does everything that uses the demo.

    A wrapper, so that the groups are there before the plugin that deals them out reads them.
    """
    for item in items:
        file = item.nodeid.split("::")[0]
        group = "demo" if _on_demo(item) else item.nodeid if file in APART else file
        item.add_marker(pytest.mark.xdist_group(group))
    items.sort(key=lambda item: next((n for n, part in enumerate(LONGEST) if part in item.nodeid), len(LONGEST)))
    return (yield)


def length(full: float, small: float) -> float:
    """How long a run of the simulation is: ``full`` under `make truth`, ``small`` otherwise, for the same tolerance."""
    return full if os.environ.get("FULL") else small


def stop(process: subprocess.Popen[bytes]) -> None:
    """End it, if it has not ended."""
    process.terminate()
    process.wait(timeout=PATIENT_S)


def free_port() -> int:
    with socket.socket() as probe:
        probe.bind(("127.0.0.1", 0))
        return int(probe.getsockname()[1])


def wait_for(address: str, seconds: float = PATIENT_S) -> None:
    began = time.monotonic()
    while time.monotonic() - began < seconds:
        try:
            httpx.get(address, trust_env=False, timeout=10)
            return
        except httpx.HTTPError:
            time.sleep(0.05)
    raise AssertionError(f"{address} did not answer within {seconds} s")


def wait_until(condition: Callable[[], object], seconds: float = PATIENT_S) -> None:
    began = time.monotonic()
    while not condition():
        assert time.monotonic() - began < seconds, "it did not come about"
        time.sleep(0.02)


class Serving:
    """An ASGI application served on the loopback address from a thread."""

    def __init__(self, app: object) -> None:
        self.port = free_port()
        config = uvicorn.Config(app, host="127.0.0.1", port=self.port, log_level="error")  # type: ignore[arg-type]
        self.server = uvicorn.Server(config)
        self.thread = threading.Thread(target=self.server.run, daemon=True)
        self.address = f"http://127.0.0.1:{self.port}"

    def __enter__(self) -> Serving:
        self.thread.start()
        wait_for(f"{self.address}/nothing")
        return self

    def __exit__(self, *_: object) -> None:
        self.server.should_exit = True
        self.thread.join(timeout=PATIENT_S)


def signed_in(client: httpx.Client) -> httpx.Client:
    """The client as the demo's administrator, with what every write has to repeat."""
    assert client.post("/api/sign-in/demo").status_code == 204
    client.headers["x-csrf-token"] = client.get("/api/me").json()["csrf_token"]
    return client


@pytest.fixture
def store(tmp_path: Path) -> Iterator[Store]:
    opened = Store(tmp_path / "store.db")
    yield opened
    opened.close()


@pytest.fixture(scope="session")
def scenario() -> Scenario:
    return load_scenario(shipped())


@pytest.fixture(scope="session")
def short_scenario(scenario: Scenario) -> Scenario:
    """The demo's desk and its lab with nine days of history: the least in which every hour has a day of its kind
    before it."""
    document = scenario.model_dump()
    document["clusters"] = [c for c in document["clusters"] if c["name"] in ("desk", "lab")]
    document["clusters"][1]["servers"] = document["clusters"][1]["servers"][:1]
    document["databases"] = {"desk": document["databases"]["desk"]}
    document["troubles"] = document["troubles"][:1]
    return Scenario.model_validate(document | {"history_days": 9.0, "sample_history_days": 9.0})


@pytest.fixture(scope="session")
def practice(short_scenario: Scenario) -> Iterator[str]:
    """Address of a practice fleet that first started now."""
    with Serving(build(short_scenario, clock_us())) as serving:
        yield serving.address


@pytest.fixture(scope="session")
def demo(tmp_path_factory: pytest.TempPathFactory) -> Iterator[str]:
    """Address of the real demo, with its whole history. RUNNING_DEMO names one that already runs."""
    if running := os.environ.get("RUNNING_DEMO"):
        yield running
        return
    port = free_port()
    data = tmp_path_factory.mktemp("demo")
    with (data / "log").open("w") as log:
        process = subprocess.Popen(
            [str(BIN / "hardy-gauge"), "demo", "--port", str(port), "--data", str(data)], stdout=log, stderr=log
        )
        _demos.append(process)
        address = f"http://127.0.0.1:{port}"
        try:
            wait_for(f"{address}/api/health", 3 * PATIENT_S)
            with httpx.Client(base_url=address, trust_env=False, timeout=PATIENT_S) as client:
                signed_in(client).get("/api/fleet").raise_for_status()
            yield address
        finally:
            stop(process)
