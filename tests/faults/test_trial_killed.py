"""A trial's processes killed at random moments: the trial says so, nothing goes on, nothing is left behind.

KILLS_OF_TRIALS=100 in the environment kills a hundred times; SEED begins elsewhere.
"""

from __future__ import annotations

import os
import random
import signal
import tempfile
import time
from pathlib import Path

import psutil
import pytest

from hardy_gauge.sandbox.process import PREFIX
from tests.conftest import wait_until
from tests.safety.running import Application
from tests.safety.test_trial_sandbox import design

KILLS = int(os.environ.get("KILLS_OF_TRIALS", "7"))
WORK = "SELECT count(*) FROM loan a, loan b WHERE a.id < 40"


def ended(process: psutil.Process) -> bool:
    """Gone, or dead and not yet collected by whoever inherited it."""
    try:
        return process.status() == psutil.STATUS_ZOMBIE
    except psutil.NoSuchProcess:
        return True


def descendants(app: Application) -> list[psutil.Process]:
    return psutil.Process(app.process.pid).children(recursive=True)


@pytest.mark.timeout(max(240, KILLS * 40))
def test_killed_at_random_moments(tmp_path: Path) -> None:
    chance = random.Random(int(os.environ.get("SEED", "5")))
    app = Application(tmp_path / "data")
    try:
        app.first()
        client = app.as_("engineer")
        for _ in range(KILLS):
            answer = client.post("/api/trials", json=design(WORK, seconds="3 s", workers=2))
            assert answer.status_code == 201, answer.text
            trial = answer.json()["id"]
            time.sleep(chance.uniform(0.2, 3.5))
            alive = descendants(app)
            if alive:
                victim = chance.choice(alive)
                victim.send_signal(signal.SIGKILL)
            wait_until(
                lambda trial=trial: client.get(f"/api/trials/{trial}").json()["state"] not in ("waiting", "running")
            )  # type: ignore[misc]
            said = client.get(f"/api/trials/{trial}").json()
            assert said["state"] in ("failed", "interrupted", "finished"), said
            assert said["state"] == "finished" or said["detail"]
            wait_until(lambda: not descendants(app))
            wait_until(lambda alive=alive: all(map(ended, alive)))  # type: ignore[misc]
            wait_until(lambda: not list(Path(tempfile.gettempdir()).glob(f"{PREFIX}*{app.process.pid}*")))
            mine = {f"{PREFIX}{process.pid}-" for process in alive}
            wait_until(
                lambda mine=mine: (
                    not any(f.name.startswith(tuple(mine)) for f in Path(tempfile.gettempdir()).glob(f"{PREFIX}*"))
                ),
                10,
            )  # type: ignore[misc]
    finally:
        app.close()
