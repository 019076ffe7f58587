"""The application's log: a line an event with time, level and the request it belongs to; as text, or as JSON."""

from __future__ import annotations

import json
import logging
import sys
from contextvars import ContextVar
from datetime import UTC, datetime
from typing import Literal

Form = Literal["text", "json"]
request_id: ContextVar[str] = ContextVar("request_id", default="")


def _at(record: logging.LogRecord) -> str:
    return datetime.fromtimestamp(record.created, UTC).isoformat(timespec="milliseconds").replace("+00:00", "Z")


class JsonLines(logging.Formatter):
    """An object a line: time, level, logger, message, request, and the error's trace where there is one."""

    def format(self, record: logging.LogRecord) -> str:
        found = {"time": _at(record), "level": record.levelname, "logger": record.name, "message": record.getMessage()}
        if request := request_id.get():
            found["request"] = request
        if record.exc_info:
            found["error"] = self.formatException(record.exc_info)
        return json.dumps(found)


class Text(logging.Formatter):
    """The same for people."""

    def format(self, record: logging.LogRecord) -> str:
        request = f" [{request_id.get()}]" if request_id.get() else ""
        line = f"{_at(record)} {record.levelname} {record.name}{request}: {record.getMessage()}"
        return f"{line}\n{self.formatException(record.exc_info)}" if record.exc_info else line


def set_up(form: Form, level: str) -> None:
    """Log to standard error from now on."""
    handler = logging.StreamHandler(sys.stderr)
    handler.setFormatter(JsonLines() if form == "json" else Text())
    logging.basicConfig(level=level.upper(), handlers=[handler], force=True)
    for quiet in ("alembic", "httpx", "uvicorn", "uvicorn.access", "uvicorn.error"):
        logging.getLogger(quiet).setLevel(logging.WARNING)
