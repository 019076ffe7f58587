"""Critical 1 and high 7: a trial cannot reach what is not its own, cannot run on for ever, and leaves nothing behind."""

from __future__ import annotations

import copy
import json
import os
import shutil
import signal
import sqlite3
import subprocess
import sys
import tempfile
import time
from pathlib import Path
from typing import Any

import httpx
import psutil
import pytest
import yaml

from hardy_gauge.sandbox.limits import MiB, SandboxLimits
from hardy_gauge.sandbox.process import PREFIX, SandboxEnded, SandboxProcess
from tests.conftest import ROOT, wait_until
from tests.patience import PATIENT_S
from tests.safety.running import Application

DESIGN: dict[str, Any] = yaml.safe_load((ROOT / "examples/compare.yaml").read_text()) | {
    "target": {"sample": "library"}, "run": {"seconds": "1 s", "blocks": 2},
}  # fmt: skip
ENDLESS = "WITH RECURSIVE n(i) AS (SELECT 1 UNION ALL SELECT i + 1 FROM n) SELECT count(*) FROM n"
HUGE = "SELECT " + ", ".join(["hex(zeroblob(100000000))"] * 20)  # 4 GB


def design(*statements: str, seconds: str = "1 s", workers: int = 1) -> dict[str, Any]:
    made = copy.deepcopy(DESIGN)
    made["workload"] = {
        "arrival": {"kind": "closed", "workers": workers},
        "statements": [{"sql": s} for s in statements],
    }
    made["run"]["seconds"] = seconds
    return made


def ended(client: httpx.Client, trial: int) -> dict[str, Any]:
    found: dict[str, Any] = {}

    def over() -> bool:
        found.update(client.get(f"/api/trials/{trial}").json())
        return found["state"] not in ("waiting", "running")

    wait_until(over)
    return found


def folders() -> list[Path]:
    return list(Path(tempfile.gettempdir()).glob(f"{PREFIX}*"))


REACHING = [
    "ATTACH '{store}' AS store", "PRAGMA writable_schema=ON", "SELECT load_extension('x')", "PRAGMA temp_store_directory='/'",
    "VACUUM INTO '{beside}'", "ATTACH 'file:{store}?mode=rw' AS s", "SELECT fts3_tokenizer('x', x'00')", "DETACH main",
]  # fmt: skip


@pytest.mark.parametrize("sql", REACHING)
def test_a_statement_cannot_reach_beyond_its_file(app: Application, engineer: httpx.Client, sql: str) -> None:
    beside = app.folder / "beside.db"
    answer = engineer.post("/api/trials", json=design(sql.format(store=app.folder / "hardy-gauge.db", beside=beside)))
    assert answer.status_code in (201, 422), answer.text
    if answer.status_code == 201:  # SQLite knows only while it runs that it may not
        result = ended(engineer, answer.json()["id"])
        assert all(run["failed"] == run["all"].get("executions", 0) + run["failed"] for run in result["runs"])
    assert not beside.exists()


def test_an_engineer_stays_one(app: Application, people: dict[str, httpx.Client]) -> None:
    """The whole way of the attack: attach the store, be administrator."""
    store = app.folder / "hardy-gauge.db"
    statements = [f"ATTACH '{store}' AS s", "UPDATE s.person SET role = 'administrator' WHERE name = 'engineer'"]
    assert people["engineer"].post("/api/trials", json=design(*statements)).status_code == 422
    with sqlite3.connect(f"file:{store}?mode=ro", uri=True) as connection:
        assert connection.execute("SELECT role FROM person WHERE name = 'engineer'").fetchone() == ("engineer",)
    assert people["engineer"].get("/api/people").status_code == 403


def test_index_names_are_only_names(engineer: httpx.Client) -> None:
    made = design("SELECT 1")
    made["arms"] = [
        {"name": "control"},
        {"name": "b", "add_indexes": [{"table": "loan\" (id); ATTACH 'x' AS y; --", "columns": ["id"]}]},
    ]
    answer = engineer.post("/api/trials", json=made)
    assert answer.status_code == 422 and answer.json()["field"] == "arms.1"


def test_an_endless_statement_is_stopped_and_leaves_nothing(app: Application, engineer: httpx.Client) -> None:
    before = set(folders())
    trial = engineer.post("/api/trials", json=design(ENDLESS, seconds="60 s", workers=2)).json()["id"]
    wait_until(lambda: engineer.get(f"/api/trials/{trial}").json()["done_share"] > 0)
    assert engineer.post(f"/api/trials/{trial}/stop").status_code == 200
    assert ended(engineer, trial)["state"] == "stopped"
    wait_until(lambda: set(folders()) <= before)
    wait_until(lambda: not psutil.Process(app.process.pid).children(recursive=True))


def test_memory_has_a_ceiling(app: Application, engineer: httpx.Client) -> None:
    trial = engineer.post("/api/trials", json=design(HUGE, seconds="2 s")).json()["id"]
    most = 0
    began = time.monotonic()
    while engineer.get(f"/api/trials/{trial}").json()["state"] in ("waiting", "running"):
        assert time.monotonic() - began < PATIENT_S
        for child in psutil.Process(app.process.pid).children(recursive=True):
            try:
                most = max(most, child.memory_info().rss)
            except psutil.Error:
                continue
    assert most < 0.7 * 2**30
    assert all(run["failed"] > 0 for run in engineer.get(f"/api/trials/{trial}").json()["runs"])


@pytest.mark.parametrize("how", ["kill", "stop"])
def test_no_worker_outlives_the_application(tmp_path: Path, how: str) -> None:
    app = Application(tmp_path / "data")
    try:
        app.first()
        client = app.as_("engineer")
        trial = client.post("/api/trials", json=design(ENDLESS, seconds="60 s", workers=2)).json()["id"]
        wait_until(lambda: client.get(f"/api/trials/{trial}").json()["done_share"] > 0)
        children = psutil.Process(app.process.pid).children(recursive=True)
        assert len(children) >= 4, "the trial's process, the sandbox and its workers"
        mine = [f for f in folders() if any(f.name.startswith(f"{PREFIX}{c.pid}-") for c in children)]
        assert mine
        app.kill() if how == "kill" else app.stop()
        _, alive = psutil.wait_procs(children, timeout=PATIENT_S)
        assert not alive
        app.start()
        assert not any(folder.exists() for folder in mine)
        again = app.as_("engineer").get(f"/api/trials/{trial}").json()
        assert again["state"] == "interrupted" and "start it again" in again["detail"]
    finally:
        app.close()


SCRIPT = """
import ctypes, json, os, pathlib, socket, subprocess, sys
from hardy_gauge.sandbox.kernel import confine
from hardy_gauge.sandbox.limits import SandboxLimits
folder = pathlib.Path(sys.argv[1])
SandboxLimits(memory_bytes=256 * 2**20, file_bytes=2**20).apply()
restrictions = confine(folder, [])
tries = {
    "read": lambda: open(sys.argv[2]).read(), "write": lambda: open(sys.argv[2], "a"),
    "program": lambda: os.execv("/bin/true", ["true"]), "socket": lambda: socket.socket(),
    "local socket": lambda: socket.socket(socket.AF_UNIX), "signal": lambda: os.kill(os.getppid(), 0),
    "memory": lambda: bytearray(2**31), "big file": lambda: (folder / "big").write_bytes(bytes(2**21)),
    "own file": lambda: (folder / "own").write_text("x"),
}
said = {}
for name, attempt in tries.items():
    try:
        attempt()
        said[name] = "done"
    except (OSError, MemoryError) as error:
        said[name] = type(error).__name__
print(json.dumps({"restrictions": restrictions, "said": said}))
"""


def test_what_the_kernel_takes_away(tmp_path: Path) -> None:
    """Python code itself, as if SQLite had been broken out of, can do nothing outside its folder."""
    folder, secret = Path(tempfile.mkdtemp(prefix=PREFIX)), tmp_path / "secret"
    secret.write_text("x")
    command = [sys.executable, "-c", SCRIPT, str(folder), str(secret)]
    found = json.loads(subprocess.run(command, check=True, capture_output=True, text=True).stdout)
    shutil.rmtree(folder)
    assert set(found["restrictions"]) >= {"no network", "no other files", "no other programs"}
    said = found["said"]
    assert said.pop("own file") == "done" and "done" not in said.values(), said


def test_a_sandbox_that_is_gone_is_said(tmp_path: Path) -> None:
    sandbox = SandboxProcess("sqlite", SandboxLimits(memory_bytes=256 * MiB))
    folder = sandbox.folder
    os.killpg(sandbox._process.pid, signal.SIGKILL)
    with pytest.raises(SandboxEnded, match="killed"):
        sandbox.receive()
    sandbox.close()
    assert not folder.exists()
