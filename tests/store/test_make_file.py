"""The store's file is made for its owner alone, and what a process has locked of it stays locked."""

from __future__ import annotations

import fcntl
import stat
import subprocess
import sys
from pathlib import Path

from hardy_gauge.store.data_folder import make_file

LOCKS = "import fcntl, sys; fcntl.lockf(open(sys.argv[1], 'r+'), fcntl.LOCK_EX | fcntl.LOCK_NB)"


def test_a_file_that_is_there_stays_locked(tmp_path: Path) -> None:
    path = tmp_path / "store.db"
    make_file(path)
    assert stat.S_IMODE(path.stat().st_mode) == 0o600
    with path.open("r+") as file:
        fcntl.lockf(file, fcntl.LOCK_EX)
        make_file(path)
        other = subprocess.run([sys.executable, "-c", LOCKS, str(path)], capture_output=True, text=True, check=False)
    assert "BlockingIOError" in other.stderr
