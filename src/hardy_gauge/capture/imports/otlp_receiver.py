"""OTLP messages of senders, one after the other; what counts up is remembered from message to message."""

from __future__ import annotations

import threading
from typing import Any

from hardy_gauge.capture.imports.import_service import receive
from hardy_gauge.capture.imports.otlp import Counted
from hardy_gauge.capture.imports.rejected_rows import RejectedRows
from hardy_gauge.store.database import Store

MOST_REASONS = 5


class OtlpReceiver:
    """Stores what messages hold; safe to be called from several threads."""

    def __init__(self, store: Store) -> None:
        self.store = store
        self._lock = threading.Lock()
        self._counted: Counted = {}

    def receive(self, document: Any, who: str, now_us: int) -> RejectedRows:
        """Store what one message holds; returns what was rejected."""
        with self._lock:
            return receive(self.store, document, who, now_us, self._counted)


def partial_success(signal: str, rejected: RejectedRows) -> dict[str, Any]:
    """The answer to a message as OTLP has it: empty, or how many spans or data points were rejected and why."""
    if not rejected.count:
        return {}
    kind = "rejectedSpans" if signal == "traces" else "rejectedDataPoints"
    words = "; ".join(f"{count} × {why}" for why, count in rejected.reasons.most_common(MOST_REASONS))
    return {"partialSuccess": {kind: str(rejected.count), "errorMessage": words}}
