"""Follow the server's log through its own file functions, from where the last look ended."""

from __future__ import annotations

import csv
import io
import json
import re
from collections import deque
from dataclasses import dataclass
from typing import Any

from hardy_gauge.probes.sqlpack.connection import Line

FIRST_BYTES = 1 << 20
MOST_BYTES = 4 << 20
MOST_ENTRIES = 20_000
NEWEST = """SELECT current_setting('log_directory') || '/' || name AS file, size FROM pg_ls_logdir()
            WHERE name ~ '[.](csv|json)$' ORDER BY modification DESC, name DESC LIMIT 1"""
_BEGIN = re.compile(rb'\n(?=\d{4}-\d\d-\d\d \d\d:|\{"timestamp")')
# places of the fields in a line of the CSV log, after the manual's "Using CSV-Format Log Output"
_CSV = {"user": 1, "database": 2, "session": 3, "tag": 7, "severity": 11, "code": 12, "message": 13, "detail": 14,
    "statement": 19, "service": 22,
}  # fmt: skip
_JSON = {
    "user": "user", "database": "dbname", "session": "pid", "tag": "ps", "severity": "error_severity",
    "code": "state_code", "message": "message", "detail": "detail", "statement": "statement", "service": "application_name",
}  # fmt: skip


@dataclass(frozen=True)
class Entry:
    """One entry of the log."""

    at_us: int
    user: str
    database: str
    service: str
    tag: str
    severity: str
    code: str
    message: str
    detail: str
    statement: str


class LogTail:
    """New entries of the current log file, in CSV or JSON; the file before is read to its end after a change."""

    def __init__(self, line: Line) -> None:
        self.line = line
        self._file = ""
        self._offset = 0
        self._within = False
        self._rest = b""
        self._entries: deque[Entry] = deque(maxlen=MOST_ENTRIES)

    def since(self, since_us: int) -> list[Entry]:
        """Entries later than a time, of those still kept: the last 20,000."""
        self._follow()
        return [entry for entry in self._entries if entry.at_us > since_us]

    def _follow(self) -> None:
        newest = self.line.rows(NEWEST)
        if not newest:
            return
        current, size = newest[0]["file"], int(newest[0]["size"])
        if self._file and self._file != current:
            self._read_on()
        if current != self._file:
            self._offset, self._rest = 0 if self._file else max(0, size - FIRST_BYTES), b""
            self._file, self._within = current, self._offset > 0
        self._read_on()

    def _read_on(self) -> None:
        sql = "SELECT pg_read_binary_file(:file, :start, :most, true) AS bytes"
        rows = self.line.rows(sql, file=self._file, start=self._offset, most=MOST_BYTES)
        new = bytes(rows[0]["bytes"] or b"")
        self._offset += len(new)
        if self._within:
            new, self._within = from_first_entry(new), False
        text, self._rest = whole_lines(self._rest + new, self._file.endswith(".json"))
        rows_read = json_rows(text) if self._file.endswith(".json") else csv_rows(text)
        self._entries.extend(self._timed(rows_read))

    def _timed(self, rows: list[tuple[str, dict[str, str]]]) -> list[Entry]:
        """The server reads its own times, whose zones are words that only it knows."""
        if not rows:
            return []
        times = sorted({at for at, _ in rows})
        sql = "SELECT t, (extract(epoch FROM t::timestamptz) * 1e6)::bigint AS us FROM unnest(CAST(:times AS text[])) AS t"
        known = {row["t"]: int(row["us"]) for row in self.line.rows(sql, times=times)}
        return [Entry(at_us=known[at], **fields) for at, fields in rows]


def from_first_entry(data: bytes) -> bytes:
    """From the first line that begins with a time: reading began somewhere within an entry."""
    begin = _BEGIN.search(data)
    return data[begin.start() + 1 :] if begin else b""


def whole_lines(data: bytes, is_json: bool) -> tuple[str, bytes]:
    """The part that ends with a whole entry as text, and the rest. A line end inside quotes is not an end."""
    if is_json:
        cut = data.rfind(b"\n") + 1
        return data[:cut].decode("utf-8", "replace"), data[cut:]
    cut, quotes, begin = 0, 0, 0
    while (end := data.find(b"\n", begin)) >= 0:
        quotes += data.count(b'"', begin, end)
        begin = end + 1
        if quotes % 2 == 0:
            cut = begin
    return data[:cut].decode("utf-8", "replace"), data[cut:]


def csv_rows(text: str) -> list[tuple[str, dict[str, str]]]:
    """Time and fields of each entry; a line with too few fields is passed over."""
    rows = []
    for row in csv.reader(io.StringIO(text)):
        if len(row) > _CSV["service"] and row[0][:2].isdigit():
            rows.append((row[0], {name: row[at] for name, at in _CSV.items() if name != "session"}))
    return rows


def json_rows(text: str) -> list[tuple[str, dict[str, str]]]:
    """Each line of a JSON log with its fields; a line that is not JSON is left out."""
    rows = []
    for line in text.splitlines():
        try:
            row: Any = json.loads(line)
            at = str(row["timestamp"])
        except (ValueError, KeyError, TypeError):
            continue
        rows.append((at, {name: str(row.get(key, "")) for name, key in _JSON.items() if name != "session"}))
    return rows
