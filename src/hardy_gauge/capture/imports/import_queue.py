"""Imports go on one after the other, in a thread of their own, so that nothing waits for them."""

from __future__ import annotations

import logging
import threading
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

from hardy_gauge.capture.imports import import_service
from hardy_gauge.capture.imports.reading import ImportRequest
from hardy_gauge.store.database import Store
from hardy_gauge.store.models import Import

log = logging.getLogger(__name__)


class ImportQueue:
    """The imports that wait and the one that runs."""

    def __init__(self, store: Store, clock: Callable[[], int]) -> None:
        self.store, self.clock = store, clock
        self._pool = ThreadPoolExecutor(max_workers=1, thread_name_prefix="import")
        self._stops: dict[int, threading.Event] = {}

    def start(self, import_id: int, path: Path, wanted: ImportRequest) -> None:
        stop = self._stops[import_id] = threading.Event()
        with self.store.write() as session:
            row = session.get_one(Import, import_id)
            row.state, row.detail = "running", "waiting for its turn"
        self._pool.submit(self._run, import_id, path, wanted, stop)

    def _run(self, import_id: int, path: Path, wanted: ImportRequest, stop: threading.Event) -> None:
        try:
            import_service.run_import(self.store, import_id, path, wanted, self.clock(), stop.is_set)
            with self.store.read() as session:
                if session.get_one(Import, import_id).state == "done":
                    path.unlink(missing_ok=True)
        except Exception:
            log.exception("import %s could not be stored", import_id)
        finally:
            self._stops.pop(import_id, None)

    def stop_one(self, import_id: int) -> bool:
        """Whether there is one to stop; it stops at its next step."""
        found = self._stops.get(import_id)
        if found is not None:
            found.set()
        return found is not None

    def close(self) -> None:
        for stop in list(self._stops.values()):
            stop.set()
        self._pool.shutdown(wait=True, cancel_futures=True)
