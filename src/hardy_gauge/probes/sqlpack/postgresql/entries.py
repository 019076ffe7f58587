"""What entries of the log say: executions with their time, changes, and messages by severity. Literals are left out unless they are asked for."""

from __future__ import annotations

import re
from typing import Literal

from hardy_gauge.core.sql.comment_tags import comment_tags
from hardy_gauge.core.sql.normalise import TOKEN, normalise
from hardy_gauge.probes.protocol import ExecutionRecord, LogMessage
from hardy_gauge.probes.sqlpack.postgresql.log_tail import Entry

_PARAMETERS = "parameters: "
_VALUE = re.compile(r"(\$\d+) = ('(?:[^']|'')*'|NULL)")
_DURATION = re.compile(r"duration: ([\d.]+) ms(?:  (?:statement|execute [^:]*): (.*))?", re.DOTALL)
_SETTING = re.compile(r'parameter "([^"]+)" (?:changed to|removed from|cannot be changed)')
_STATEMENT = re.compile(r"(?:statement|execute [^:]*): (.*)", re.DOTALL)
DEADLOCK = "40P01"
# how the pack names its own session: what the server refuses it is no trouble of the server
OURS = "hardy-gauge"
_SIDE = re.compile(r"(\s*Process \d+: )(.*)")
_SCHEMA = frozenset({"create", "alter", "drop"})
_SEVERITY: dict[str, Literal["info", "warning", "error"]] = {
    "WARNING": "warning", "ERROR": "error", "FATAL": "error", "PANIC": "error",
}  # fmt: skip


def execution_of(entry: Entry, literals: bool = False) -> ExecutionRecord | None:
    """The finished execution that an entry reports, if any; its key is its text's fingerprint. The text has its
    literals where ``literals`` are asked for.
    """
    match = _DURATION.match(entry.message)
    if match is None or match[2] is None:
        return None
    normal, tags = normalise(match[2]), comment_tags(match[2])
    return ExecutionRecord(
        ended_at_us=entry.at_us, duration_s=float(match[1]) / 1000, statement_key=f"text:{normal.fingerprint}",
        user=entry.user, service=tags.service or entry.service, database=entry.database, route=tags.route, trace=tags.trace,
        text=_with_values(match[2].strip(), entry.detail) if literals else normal.text,
    )  # fmt: skip


def _with_values(text: str, detail: str) -> str:
    """A text with the values of its parameters in their places, as the entry's detail has them; those it does not have stay."""
    if not detail.lower().startswith(_PARAMETERS):
        return text
    values = dict(_VALUE.findall(detail))
    parts = [
        values.get(match.group(), match.group()) if match.lastgroup == "parameter" else match.group()
        for match in TOKEN.finditer(text)
    ]
    return "".join(parts)


def message_of(entry: Entry) -> LogMessage | None:
    """The message of an entry that is not of an execution, and not an error of our own session; texts of statements only normalised."""
    if entry.message.startswith("duration:") or (entry.service == OURS and entry.severity in _SEVERITY):
        return None
    running = normalise(entry.statement).text if entry.statement else ""
    found = LogMessage(
        at_us=entry.at_us, severity=_SEVERITY.get(entry.severity, "info"), text=entry.message, code=entry.code, user=entry.user,
        service=comment_tags(entry.statement).service or entry.service, database=entry.database, statement=running,
        detail=_sides(entry.detail) if entry.code == DEADLOCK else "",
    )  # fmt: skip
    if setting := _SETTING.match(entry.message):
        return found.model_copy(update={"change": "setting", "object": setting[1]})
    if statement := _STATEMENT.match(entry.message):
        normal = normalise(statement[1])
        change: Literal["schema"] | None = "schema" if normal.kind in _SCHEMA else None
        return found.model_copy(update={"text": normal.text, "change": change, "statement": normal.text})
    if entry.message.startswith("database system is ready"):
        return found.model_copy(update={"text": "the server started", "change": "software"})
    return found


def _sides(detail: str) -> str:
    """The lines of a deadlock's detail, the statements in them without literals."""
    lines = []
    for line in detail.splitlines():
        side = _SIDE.match(line)
        lines.append(f"{side[1]}{normalise(side[2]).text}" if side else line)
    return "\n".join(lines)
