"""The application as a process of its own, with an administrator, an engineer and a viewer."""

from __future__ import annotations

import os
import re
import secrets
import signal
import subprocess
import sys
import time
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Any

import httpx

from tests.conftest import ROOT, free_port, wait_for
from tests.patience import PATIENT_S

PASSWORD = "quiet-lantern-harbour-27"
ROLES = ("administrator", "engineer", "viewer")


@contextmanager
def new_application(folder: Path, *options: str, **environment: str) -> Iterator[Application]:
    """One with its three people, which is gone afterwards."""
    app = Application(folder, *options, **environment)
    try:
        app.first()
        yield app
    finally:
        app.close()


class Application:
    """``serve`` on a folder; ``as_`` gives a client that is signed in with a role."""

    def __init__(self, folder: Path, *options: str, module: str = "hardy_gauge.cli.main", **environment: str) -> None:
        self.folder, self.port = folder, free_port()
        self.module = module
        self.options, self.environment = options, environment
        self.address = f"http://127.0.0.1:{self.port}"
        self.clients: list[httpx.Client] = []
        self.start()

    def start(self) -> None:
        self.folder.mkdir(parents=True, exist_ok=True)
        command = [
            sys.executable,
            "-m",
            self.module,
            "serve",
            "--data",
            str(self.folder),
            "--port",
            str(self.port),
        ]
        environment = {k: v for k, v in os.environ.items() if not k.startswith("HARDY_GAUGE_")} | self.environment
        self.log = self.folder.with_name(f"{self.folder.name}.log")
        with self.log.open("a") as log:
            self.process = subprocess.Popen(
                [*command, *self.options], cwd=ROOT, env=environment, stdout=log, stderr=log, stdin=subprocess.DEVNULL
            )
        wait_for(f"{self.address}/api/health")

    def client(self, **options: Any) -> httpx.Client:
        made = httpx.Client(base_url=self.address, trust_env=False, timeout=PATIENT_S, **options)
        self.clients.append(made)
        return made

    def first(self) -> None:
        """Set up the three people."""
        began = time.monotonic()
        while (found := re.search(r"code for the first is (\S+)", self.log.read_text())) is None:
            assert time.monotonic() - began < PATIENT_S, self.log.read_text()
            time.sleep(0.05)
        client = self.head = self.client()
        code = {"code": found[1], "name": "administrator", "password": PASSWORD}
        assert client.post("/api/first", json=code).status_code == 204
        client.headers["x-csrf-token"] = client.get("/api/me").json()["csrf_token"]
        for role in ROLES[1:]:
            made = client.post("/api/people", json={"name": role, "role": role, "password": PASSWORD})
            assert made.status_code == 201, made.text

    def newcomer(self, role: str) -> str:
        """The name of a new person with a role."""
        name = f"{role}-{secrets.token_hex(4)}"
        made = self.head.post("/api/people", json={"name": name, "role": role, "password": PASSWORD})
        assert made.status_code == 201, made.text
        return name

    def as_(self, role: str) -> httpx.Client:
        return self.sign_in(role, PASSWORD)

    def sign_in(self, name: str, password: str) -> httpx.Client:
        client = self.client()
        answer = client.post("/api/sign-in", json={"name": name, "password": password})
        assert answer.status_code == 204, answer.text
        client.headers["x-csrf-token"] = client.get("/api/me").json()["csrf_token"]
        return client

    def kill(self) -> None:
        self.process.send_signal(signal.SIGKILL)
        self.process.wait()

    def stop(self) -> int:
        self.process.terminate()
        return self.process.wait(PATIENT_S)

    def close(self) -> None:
        for client in self.clients:
            client.close()
        if self.process.poll() is None:
            self.process.kill()
            self.process.wait()


def command(*words: str, **environment: str) -> subprocess.CompletedProcess[str]:
    """``hardy-gauge`` with these words, to its end."""
    return subprocess.run(
        [sys.executable, "-m", "hardy_gauge.cli.main", *words], capture_output=True, text=True, timeout=PATIENT_S,
        env=os.environ | environment,
    )  # fmt: skip
