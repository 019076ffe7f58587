"""Many servers at once: addresses a line, CSV with a head line (RFC 4180), or YAML."""

from __future__ import annotations

import csv
import io
from dataclasses import dataclass
from typing import Any

from hardy_gauge.capture.registration import Registration
from hardy_gauge.yaml_text import NotYaml, compose_yaml, read_yaml

FIELDS = ("address", "name", "cluster", "labels", "account")


@dataclass(frozen=True)
class RejectedLine:
    """A line that was not understood, and why."""

    line: int
    reason: str


def read_list(text: str) -> tuple[list[Registration], list[RejectedLine]]:
    """The servers of a pasted text or file, and the lines that were not taken. An address given twice is taken once."""
    stripped = text.lstrip()
    if stripped.startswith(("- ", "servers:")):
        found, refused = _from_yaml(text)
    elif _head(text) is not None:
        found, refused = _from_csv(text)
    else:
        lines = [(n, line.strip()) for n, line in enumerate(text.splitlines(), 1)]
        found = [(n, Registration(line)) for n, line in lines if line and not line.startswith("#")]
        refused = []
    taken: dict[str, Registration] = {}
    for line, one in found:
        if "://" not in one.address:
            refused.append(
                RejectedLine(line, f"'{one.address[:80]}' is not an address such as postgresql://host:5432/name")
            )
        elif one.address in taken:
            refused.append(RejectedLine(line, f"{one.address} was given before"))
        else:
            taken[one.address] = one
    return list(taken.values()), sorted(refused, key=lambda r: r.line)


def _head(text: str) -> list[str] | None:
    try:
        first = next(csv.reader(io.StringIO(text, newline="")), [])
    except csv.Error:
        return None
    names = [name.strip().lower() for name in first]
    return names if "address" in names else None


def _from_csv(text: str) -> tuple[list[tuple[int, Registration]], list[RejectedLine]]:
    names = _head(text) or []
    if unknown := [name for name in names if name not in FIELDS]:
        return [], [RejectedLine(1, f"unknown column '{unknown[0]}'; there are {', '.join(FIELDS)}")]
    found, refused = [], []
    reader = csv.reader(io.StringIO(text, newline=""), strict=True)
    next(reader)
    while True:
        line = reader.line_num + 1
        try:
            row = next(reader, None)
        except csv.Error as error:
            refused.append(RejectedLine(line, f"this is not CSV: {error}"))
            continue
        if row is None:
            break
        if not any(cell.strip() for cell in row):
            continue
        if len(row) != len(names):
            refused.append(RejectedLine(line, f"{len(names)} fields were expected, not {len(row)}"))
            continue
        cells = {name: cell.strip() for name, cell in zip(names, row, strict=True)}
        labels = [label.strip() for label in cells.pop("labels", "").split(";") if label.strip()]
        found.append((line, Registration(labels=labels, **cells)))
    return found, refused


def _from_yaml(text: str) -> tuple[list[tuple[int, Registration]], list[RejectedLine]]:
    try:
        document: Any = read_yaml(text)
        node = compose_yaml(text)
    except NotYaml as error:
        return [], [RejectedLine(error.line or 1, f"this is not YAML from here on: {error}")]
    rows = document.get("servers") if isinstance(document, dict) else document
    if not isinstance(rows, list):
        return [], [RejectedLine(1, "a list of servers was expected")]
    nodes: Any = node
    if isinstance(document, dict):
        nodes = next(value for key, value in nodes.value if key.value == "servers")
    lines = [item.start_mark.line + 1 for item in nodes.value]
    found, refused = [], []
    for line, row in zip(lines, rows, strict=True):
        row = {"address": row} if isinstance(row, str) else row
        try:
            found.append((line, _joining(row)))
        except ValueError as error:
            refused.append(RejectedLine(line, str(error)))
    return found, refused


def _joining(row: Any) -> Registration:
    if not isinstance(row, dict) or row.get("address") is None:
        raise ValueError("an address, or keys with an address among them, were expected")
    if unknown := [str(key) for key in row if key not in FIELDS]:
        raise ValueError(f"unknown key '{unknown[0]}'; there are {', '.join(FIELDS)}")
    labels = row.get("labels") or []
    if not isinstance(labels, list):
        raise ValueError("labels: a list was expected")
    texts = {key: str(row[key]) for key in FIELDS if key != "labels" and row.get(key) is not None}
    return Registration(labels=[str(label) for label in labels], **texts)
