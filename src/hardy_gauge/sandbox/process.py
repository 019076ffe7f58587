"""A job that runs in a sandbox, as its parent sees it: JSON and bytes go over one connection, nothing else does."""

from __future__ import annotations

import json
import os
import secrets
import shutil
import signal
import socket
import subprocess
import sys
import tempfile
from collections.abc import Sequence
from contextlib import suppress
from multiprocessing.connection import Connection
from pathlib import Path
from typing import Any

import psutil

from hardy_gauge.errors import GaugeError
from hardy_gauge.sandbox.limits import SandboxLimits

PREFIX = "hardy-gauge-work-"
THREAD_BYTES = 2**30  # of memory that a sandbox may take, for each thread: each wants some of its own
MOST_MESSAGE = 256 * 2**20


class SandboxEnded(GaugeError):
    """The process ended before it had answered: it broke, or used more than it may."""

    title = "The work was ended"


def threads_for(limits: SandboxLimits) -> int:
    """As many as there are cores and memory for."""
    cores = os.cpu_count() or 1
    return cores if limits.memory_bytes is None else max(1, min(cores, limits.memory_bytes // THREAD_BYTES))


class SandboxProcess:
    """One process with a folder of its own, both gone after ``close``. ``restrictions`` says what it cannot do.

    ``readable`` are files beside its folder that it may read; it stays the same user then, who may open them. Not for
    several threads; the thread that makes it has to outlive it, unless it is ``lasting``.
    """

    def __init__(self, job: str, limits: SandboxLimits, readable: Sequence[Path] = (), lasting: bool = False) -> None:
        self.folder = work_folder()
        self.job = job
        ours, theirs = socket.socketpair()
        number = theirs.fileno()
        command = [
            sys.executable, "-I", "-m", "hardy_gauge.sandbox.main", job, str(self.folder), str(number),
            json.dumps(limits.as_dict() | {"lasting": lasting}), *map(str, readable),
        ]  # fmt: skip
        environment = {
            "PATH": "/usr/bin:/bin", "LANG": "C.UTF-8", "TMPDIR": str(self.folder), "SQLITE_TMPDIR": str(self.folder),
            "POLARS_MAX_THREADS": str(threads_for(limits)), "PYTHONDONTWRITEBYTECODE": "1",
        }  # fmt: skip
        try:
            self._process = subprocess.Popen(
                command, pass_fds=[number], stdin=subprocess.DEVNULL, start_new_session=True, env=environment
            )
        except BaseException:
            ours.close()
            shutil.rmtree(self.folder, ignore_errors=True)
            raise
        finally:
            theirs.close()
        self._connection = Connection(ours.detach())
        try:
            self.restrictions: list[str] = self.receive()["restrictions"]
        except BaseException:
            self.close()
            raise

    def send(self, message: dict[str, Any]) -> None:
        """SandboxEnded when the process is gone."""
        try:
            self._connection.send_bytes(json.dumps(message).encode())
        except OSError as error:
            raise self._ended() from error

    def send_bytes(self, content: bytes) -> None:
        """As ``send``, for what is no JSON."""
        try:
            self._connection.send_bytes(content)
        except OSError as error:
            raise self._ended() from error

    def receive(self) -> dict[str, Any]:
        """The next message; waits for it. SandboxEnded when the process ended or does not keep to the form."""
        try:
            found: dict[str, Any] = json.loads(self.receive_bytes())
        except ValueError as error:
            raise SandboxEnded(f"the {self.job} work sent something that is no message") from error
        return found

    def receive_bytes(self) -> bytes:
        """The next message as it came."""
        try:
            return self._connection.recv_bytes(MOST_MESSAGE)
        except (EOFError, OSError) as error:
            raise self._ended() from error

    def waits(self, seconds: float) -> bool:
        """Whether a message has come, or comes within ``seconds``."""
        return self._connection.poll(seconds)

    def disk_bytes(self) -> int:
        """Bytes of disk that its folder takes now."""
        total = 0
        for path in self.folder.rglob("*"):
            with suppress(OSError):
                total += path.lstat().st_blocks * 512
        return total

    def _ended(self) -> SandboxEnded:
        with suppress(subprocess.TimeoutExpired):
            self._process.wait(2)
        code = self._process.returncode
        why = {-signal.SIGXCPU: "it used all of the processor time it may", -signal.SIGKILL: "it was killed"}
        return SandboxEnded(
            f"the {self.job} work ended by itself: {why.get(code or 0, f'its process ended with {code}')}"
        )

    def close(self) -> None:
        """Kill the process with all that it started, and remove its folder."""
        with suppress(ProcessLookupError, PermissionError):
            os.killpg(self._process.pid, signal.SIGKILL)
        self._process.wait()
        self._connection.close()
        shutil.rmtree(self.folder, ignore_errors=True)


def work_folder() -> Path:
    """A new temporary folder that says whose it is."""
    me = psutil.Process()
    name = f"{PREFIX}{me.pid}-{int(me.create_time() * 100)}-{secrets.token_hex(6)}"
    folder = Path(tempfile.gettempdir(), name)
    folder.mkdir(mode=0o700)
    return folder


def remove_leftovers() -> int:
    """Remove the folders of processes that ended without doing so; returns how many."""
    count = 0
    for folder in Path(tempfile.gettempdir()).glob(f"{PREFIX}*"):
        pid, _, started = folder.name.removeprefix(PREFIX).partition("-")
        if not _alive(pid, started.partition("-")[0]):
            shutil.rmtree(folder, ignore_errors=True)
            count += not folder.exists()
    return count


def _alive(pid: str, started: str) -> bool:
    try:
        return int(psutil.Process(int(pid)).create_time() * 100) == int(started)
    except (psutil.Error, ValueError):
        return False
