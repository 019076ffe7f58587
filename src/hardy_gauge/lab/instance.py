"""A PostgreSQL of our own: made in a folder, reached over a socket that only its user and we may open, gone with the process that made it."""

from __future__ import annotations

import json
import os
import pwd
import shutil
import signal
import subprocess
import tempfile
import time
from collections.abc import Collection, Mapping, Sequence
from contextlib import suppress
from functools import partial
from pathlib import Path
from typing import Any

import psutil
import psycopg

from hardy_gauge.errors import ProbeError, Unsupported
from hardy_gauge.lab.programs import Programs
from hardy_gauge.sandbox.kernel import die_with_parent

PREFIX = "hardy-gauge-lab-"
OWNER = "owner.json"
SUPERUSER = "lab"
START_S, STOP_S = 60.0, 20.0
USERS = ("postgres", "nobody")
PORT = 5432
# durability is not what is asked of it, unless a trial sets it so
QUICK = {"fsync": "off", "synchronous_commit": "off", "full_page_writes": "off"}


def unprivileged() -> pwd.struct_passwd | None:
    """Whom it runs as where we are root; None where we are not."""
    if os.geteuid() != 0:
        return None
    for name in USERS:
        with suppress(KeyError):
            return pwd.getpwnam(name)
    raise Unsupported("PostgreSQL does not run as root, and this machine has neither a user postgres nor a user nobody")


class Instance:
    """One data folder. ``start`` and ``stop`` it any number of times; ``settings`` of a start come after those of the folder."""

    def __init__(self, programs: Programs, folder: Path) -> None:
        self.programs, self.folder = programs, folder
        self.data = folder / "data"
        self._user = unprivileged()
        self._process: subprocess.Popen[bytes] | None = None
        self._socket: Path | None = None

    @classmethod
    def made(cls, programs: Programs, folder: Path | None = None, options: Sequence[str] = ()) -> Instance:
        """A new one with an empty database ``postgres``, in ``folder`` or in a temporary one; ``options`` go to initdb."""
        one = cls(programs, folder or Path(tempfile.mkdtemp(prefix=PREFIX)))
        command = [
            programs.path("initdb"), "-D", str(one.data), "-U", SUPERUSER, "-A", "trust", "--no-sync", "--no-instructions", *options,
        ]  # fmt: skip
        try:
            one._own(one.folder)
            one._sign(one.folder)
            said = subprocess.run(
                command,
                capture_output=True,
                text=True,
                timeout=120,
                check=False,
                cwd="/",
                env=_environment(),
                **one.run_as(),
            )
        except BaseException:  # also where it is told to end meanwhile
            one.remove()
            raise
        if said.returncode:
            one.remove()
            raise ProbeError(f"an instance could not be made: {' '.join(said.stderr.split())[-300:]}")
        return one

    @staticmethod
    def _sign(folder: Path) -> None:
        """Note who made a folder, so that it is found when its maker is gone."""
        (folder / OWNER).write_text(json.dumps({"process": os.getpid(), "began": psutil.Process().create_time()}))

    def _own(self, folder: Path) -> None:
        folder.mkdir(parents=True, exist_ok=True)
        folder.chmod(0o700)
        if self._user is not None:
            os.chown(folder, self._user.pw_uid, self._user.pw_gid)

    def run_as(self) -> dict[str, Any]:
        """As whom its programs are started."""
        if self._user is None:
            return {}
        return {"user": self._user.pw_uid, "group": self._user.pw_gid, "extra_groups": []}

    def start(self, settings: Mapping[str, str] | None = None, changeable: Collection[str] = ()) -> None:
        """Start it and wait until it takes connections; ProbeError says what its log says where it does not. Settings that are
        ``changeable`` are not held fast from the command line, so that ``change`` can give them another value while it runs.
        """
        assert self._process is None, "it runs"
        self._socket = Path(tempfile.mkdtemp(prefix=f"{PREFIX}socket-"))
        self._own(self._socket)
        self._sign(self._socket)
        given = QUICK | dict(settings or {}) | {
            "listen_addresses": "", "unix_socket_directories": str(self._socket), "port": str(PORT), "unix_socket_permissions": "0700",
        }  # fmt: skip
        command = [self.programs.path("postgres"), "-D", str(self.data)]
        for name, value in given.items():
            command += [] if name in changeable else ["-c", f"{name}={value}"]
        loose = [f"{name} = '{value}'\n" for name, value in given.items() if name in changeable]
        with (self.data / "postgresql.auto.conf").open("a") as file:
            file.writelines(loose)
        with open(self.log_path, "ab") as log:
            self._process = subprocess.Popen(
                command, stdin=subprocess.DEVNULL, stdout=log, stderr=log, cwd="/", env=_environment(), start_new_session=True,
                preexec_fn=partial(die_with_parent, signal.SIGQUIT), **self.run_as(),
            )  # fmt: skip
        self._wait()

    @property
    def log_path(self) -> Path:
        return self.folder / "log"

    def _wait(self) -> None:
        until = time.monotonic() + START_S
        while time.monotonic() < until:
            assert self._process is not None
            if self._process.poll() is not None:
                break
            with suppress(psycopg.OperationalError):
                self.connect("postgres").close()
                return
            time.sleep(0.02)
        said = [line for line in self._log() if "FATAL" in line or "ERROR" in line] or self._log()
        self.stop()
        raise ProbeError(f"the instance did not start: {said[-1] if said else 'it says nothing'}")

    def _log(self) -> list[str]:
        return self.log_path.read_text(errors="replace").splitlines()[-40:] if self.log_path.exists() else []

    @property
    def host(self) -> str:
        """The folder of its socket, while it runs."""
        assert self._socket is not None, "it does not run"
        return str(self._socket)

    def connect(self, database: str = "postgres", user: str = SUPERUSER) -> psycopg.Connection:
        """A connection that commits each statement."""
        return psycopg.connect(
            host=self.host,
            port=PORT,
            user=user,
            dbname=database,
            autocommit=True,
            connect_timeout=10,
            prepare_threshold=None,
        )

    def stop(self, crash: bool = False) -> None:
        """Stop it, its sessions cut off; ``crash``: without writing anything back."""
        if self._process is not None:
            self._process.send_signal(signal.SIGQUIT if crash else signal.SIGINT)
            try:
                self._process.wait(STOP_S)
            except subprocess.TimeoutExpired:
                self._process.send_signal(signal.SIGQUIT)
                with suppress(subprocess.TimeoutExpired):
                    self._process.wait(STOP_S)
                self._process.kill()
                self._process.wait()
            self._process = None
        if self._socket is not None:
            shutil.rmtree(self._socket, ignore_errors=True)
            self._socket = None

    def remove(self) -> None:
        """Stop it and take its folder away."""
        self.stop(crash=True)
        shutil.rmtree(self.folder, ignore_errors=True)


def _environment() -> dict[str, str]:
    return {"PATH": "/usr/bin:/bin", "TZ": "UTC", "LC_ALL": "C.UTF-8"}


def remove_leftovers() -> list[str]:
    """Take away instances whose maker is not there any more; returns their folders. What is kept on purpose has no owner noted."""
    gone = []
    for folder in Path(tempfile.gettempdir()).glob(f"{PREFIX}*"):
        owner = folder / OWNER
        try:
            document = json.loads(owner.read_text())
        except (OSError, ValueError):
            continue
        if not _lives(document):
            with suppress(OSError, ValueError, psutil.NoSuchProcess):
                psutil.Process(int((folder / "data" / "postmaster.pid").read_text().split()[0])).send_signal(
                    signal.SIGQUIT
                )
            shutil.rmtree(folder, ignore_errors=True)
            gone.append(str(folder))
    return gone


def _lives(owner: Mapping[str, float]) -> bool:
    try:
        return abs(psutil.Process(int(owner["process"])).create_time() - owner["began"]) < 1.0
    except (psutil.NoSuchProcess, KeyError):
        return False


def keep(folder: Path) -> None:
    """An instance that outlives its maker: it is no leftover."""
    (folder / OWNER).unlink(missing_ok=True)
