"""Worker processes that the application starts for heavy work; they end when it ends, however that happens."""

from __future__ import annotations

import os
import subprocess
import sys
import threading

from hardy_gauge.load.worker import mark_ended
from hardy_gauge.sandbox.process import remove_leftovers
from hardy_gauge.settings import AppSettings
from hardy_gauge.store.database import Store

STOP_S = 8.0


class Workers:
    """The processes that are running now. Each one holds the other end of a pipe, and ends when ours is closed."""

    def __init__(self, store: Store, settings: AppSettings) -> None:
        self.store, self.settings = store, settings
        self._running: dict[int, subprocess.Popen[bytes]] = {}
        self._stopping = False

    def start_trial(self, trial_id: int) -> None:
        """Run a stored trial in a process of its own."""
        command = [
            sys.executable,
            "-m",
            "hardy_gauge.cli.main",
            "trial-worker",
            str(trial_id),
            "--data",
            str(self.settings.data),
        ]
        environment = os.environ | self.settings.as_environment()
        process = subprocess.Popen(command, stdin=subprocess.PIPE, env=environment)
        self._running[trial_id] = process
        threading.Thread(target=self._watch, args=(trial_id, process), name=f"trial {trial_id}", daemon=True).start()

    def _watch(self, trial_id: int, process: subprocess.Popen[bytes]) -> None:
        code = process.wait()
        self._running.pop(trial_id, None)
        if not self._stopping:
            mark_ended(self.store, trial_id, code)
        if code:
            remove_leftovers()

    @property
    def running(self) -> int:
        """How many run now."""
        return len(self._running)

    def stop(self) -> None:
        """End all of them, and wait until they are gone."""
        self._stopping = True
        processes = list(self._running.values())
        for process in processes:
            process.terminate()
        for process in processes:
            try:
                process.wait(timeout=STOP_S)
            except subprocess.TimeoutExpired:
                process.kill()
                process.wait()
