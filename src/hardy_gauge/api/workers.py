"""Worker processes that the application starts for heavy work, and ends when it ends."""

from __future__ import annotations

import subprocess
import sys
from pathlib import Path


class Workers:
    """The processes that are running now."""

    def __init__(self, data: Path) -> None:
        self.data = data
        self._running: list[subprocess.Popen[bytes]] = []

    def start_trial(self, trial_id: int) -> None:
        self._running = [p for p in self._running if p.poll() is None]
        command = [
            sys.executable,
            "-m",
            "hardy_gauge.cli.main",
            "trial-worker",
            str(trial_id),
            "--data",
            str(self.data),
        ]
        self._running.append(subprocess.Popen(command))

    def stop(self) -> None:
        for process in self._running:
            if process.poll() is None:
                process.terminate()
        for process in self._running:
            try:
                process.wait(timeout=5)
            except subprocess.TimeoutExpired:
                process.kill()
