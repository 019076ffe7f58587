"""OTLP messages of senders, one after the other; what counts up is remembered from message to message."""

from __future__ import annotations

import threading
from typing import Any

from hardy_gauge.capture.imports.import_service import receive
from hardy_gauge.capture.imports.otlp import Counted, log_records
from hardy_gauge.capture.imports.rejected_rows import RejectedRows
from hardy_gauge.store.database import Store


class OtlpReceiver:
    """Stores what messages hold; safe to be called from several threads."""

    def __init__(self, store: Store) -> None:
        self.store = store
        self._lock = threading.Lock()
        self._counted: Counted = {}

    def receive(self, signal: str, document: Any, who: str, now_us: int) -> RejectedRows:
        """Store what one message holds; returns what was rejected. Log records are not kept."""
        if signal == "logs":
            rejected = RejectedRows()
            rejected.add_rows((1, "log records are not kept") for _ in range(log_records(document)))
            return rejected
        with self._lock:
            return receive(self.store, document, who, now_us, self._counted)
