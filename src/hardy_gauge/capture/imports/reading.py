"""What a file holds, and its contents as batches by server."""

from __future__ import annotations

import json
from collections.abc import Callable
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any, Literal

import polars as pl
from pydantic import Field

from hardy_gauge.capture.imports import columns, otlp, rows, sql_files, tables
from hardy_gauge.capture.imports.import_batch import ImportBatch, of_figures, of_otlp
from hardy_gauge.capture.imports.openmetrics import figures_of, read_openmetrics
from hardy_gauge.capture.imports.rejected_rows import ImportRefused, RejectedRows
from hardy_gauge.core.plans.model import MalformedPlan, Plan
from hardy_gauge.core.plans.readers import read_document
from hardy_gauge.core.sql.normalise import normalise
from hardy_gauge.input_document import InputDocument

Format = Literal["table", "openmetrics", "otlp", "plans", "workload"]
MOST_TEXT = 512 * 2**20
Name = Field("", max_length=80, pattern=r"^[^\s/][^/]*$|^$")


class ImportRequest(InputDocument):
    """How a file is to be taken: as what, to which server, and of a table what its columns are."""

    format: Format
    server: str = Name
    cluster: str = Field("imported", min_length=1, max_length=80, pattern=r"^[^\s/][^/]*$")
    engine: str = Field("other", max_length=40, pattern=r"^[a-z][a-z0-9_-]*$")
    layout: columns.Layout | None = None
    text: str = Field("", max_length=1_000_000, description="the statement of a plan that does not say it itself")


@dataclass
class Contents:
    """Parcels by server, plans with their text, statements of a workload."""

    batches: dict[str, ImportBatch] = field(default_factory=dict)
    plans: list[tuple[str, Plan]] = field(default_factory=list)
    workload: list[dict[str, Any]] = field(default_factory=list)


def format_of(path: Path, name: str) -> Format:
    """What a file seems to be, by its first bytes and its name."""
    with path.open("rb") as file:
        head = file.read(65536)
    text = head.decode("utf-8-sig", "replace").lstrip()
    if head.startswith(b"PK\x03\x04") or name.lower().endswith(".sql"):
        return "workload"
    if text.startswith(("{", "[")):
        if '"resourceSpans"' in text or '"resourceMetrics"' in text:
            return "otlp"
        return "plans" if text.startswith("[") or _is_plan(path) else "table"
    if text.startswith(("# TYPE", "# HELP", "# UNIT", "# EOF")):
        return "openmetrics"
    return "table"


def _is_plan(path: Path) -> bool:
    if path.stat().st_size > 16 * 2**20:
        return False
    try:
        read_document(json.loads(path.read_bytes()))
    except (ValueError, RecursionError, MalformedPlan):
        return False
    return True


def read(
    path: Path, name: str, wanted: ImportRequest, now_us: int, rejected: RejectedRows, said: Callable[[str], None]
) -> Contents:
    """Everything of a file that can be imported; ``said`` is called with what goes on. ImportRefused when the whole cannot."""
    if wanted.format == "workload":
        return Contents(workload=sql_files.read_workload(_content(path), name, rejected))
    if wanted.format == "plans":
        return Contents(plans=_plans(_content(path), wanted.text, rejected))
    if wanted.format == "openmetrics":
        samples = read_openmetrics(_content(path).decode("utf-8-sig", "replace"), rejected)
        figures = of_figures(figures_of(samples, now_us, rejected), rejected)
        return Contents({_server(wanted): ImportBatch(engine=wanted.engine, figures=figures)} if len(figures) else {})
    if wanted.format == "otlp":
        return Contents(of_otlp(_otlp(path, rejected), wanted.server or "traced", rejected))
    said("reading the file")
    table = tables.read_table(path, name, rejected)
    layout = checked(wanted.layout, table)
    said(f"reading {len(table):,} rows")
    taken = rows.rows_of(table, layout, rejected)
    batch = ImportBatch(engine=wanted.engine, whole=layout.whole)
    if layout.kind == "executions":
        batch.executions = taken
    else:
        batch.statements = taken
    return Contents({_server(wanted): batch})


def checked(layout: columns.Layout | None, table: pl.DataFrame) -> columns.Layout:
    """A layout that fits the table; ImportRefused names the field that does not."""
    layout = layout or columns.guess(table)
    fault = columns.wrong(layout, table.columns)
    if fault is not None:
        raise ImportRefused(fault[1], f"layout.{fault[0]}")
    return layout


def _server(wanted: ImportRequest) -> str:
    if not wanted.server:
        raise ImportRefused("the name of the server that the figures are of is needed", "server")
    return wanted.server


def _content(path: Path) -> bytes:
    if path.stat().st_size > MOST_TEXT:
        raise ImportRefused(f"the file is larger than the {MOST_TEXT:,} bytes that are taken of this format")
    return path.read_bytes()


def _otlp(path: Path, rejected: RejectedRows) -> otlp.OtlpContent:
    """A message a line, or one message over the whole file."""
    try:
        if path.stat().st_size <= MOST_TEXT:
            document = json.loads(path.read_bytes())
            content = otlp.OtlpContent()
            content.message(document, 1, rejected)
            return content
    except (ValueError, RecursionError):
        pass
    with path.open("rb") as file:
        return otlp.read_lines(iter(file), rejected)


def _plans(content: bytes, text: str, rejected: RejectedRows) -> list[tuple[str, Plan]]:
    """One plan, a list of them, or one a line; each with the statement it says it is of, or else ``text``."""
    try:
        document = json.loads(content)
        documents = [(1, document)] if not _many(document) else [(i, one) for i, one in enumerate(document, 1)]
    except (ValueError, RecursionError):
        documents = []
        for number, line in enumerate(content.split(b"\n"), 1):
            if line.strip():
                try:
                    documents.append((number, json.loads(line)))
                except (ValueError, RecursionError):
                    rejected.add(number, "not a line of JSON")
    found = []
    for number, one in documents:
        said = _said_text(one) or text
        try:
            plan = read_document(one)
        except (MalformedPlan, RecursionError) as error:
            rejected.add(number, f"no plan: {' '.join(str(error).split())[:160]}")
            continue
        if not said.strip():
            rejected.add(number, "the plan does not say its statement, and none was given")
        else:
            found.append((normalise(said).text, plan))
    return found


def _many(document: Any) -> bool:
    return isinstance(document, list) and len(document) != 1


def _said_text(document: Any) -> str:
    first = document[0] if isinstance(document, list) and document else document
    said = first.get("Query Text") or first.get("query_text") if isinstance(first, dict) else None
    return said if isinstance(said, str) else ""


@dataclass
class Look:
    """What a file seems to hold before it is taken. ``headings`` and ``sample`` are of tables."""

    format: Format
    layout: columns.Layout | None = None
    headings: list[str] = field(default_factory=list)
    sample: list[dict[str, str]] = field(default_factory=list)
    rows_looked_at: int = 0
    rows_accepted: int = 0
    rejected: RejectedRows = field(default_factory=RejectedRows)
    fault: tuple[str, str] | None = None


def look(path: Path, name: str, known: dict[str, columns.Layout], layout: columns.Layout | None = None) -> Look:
    """The format, and of a table its headings, first rows, and how it would be read: as given, as it was agreed for
    these headings before, or as it is guessed. ImportRefused when nothing can be made of it.
    """
    found = Look(format_of(path, name))
    if found.format != "table":
        return found
    table = tables.read_table(path, name, found.rejected, tables.SAMPLE_ROWS)
    found.layout = layout or columns.remembered(known, table) or columns.guess(table)
    found.headings = [c for c in table.columns if c != tables.LINE]
    found.sample = tables.sample_of(table.drop(tables.LINE), 5)
    found.fault = columns.wrong(found.layout, table.columns)
    found.rows_looked_at = len(table)
    if found.fault is None:
        found.rows_accepted = len(rows.rows_of(table, found.layout, found.rejected))
    return found


def guessed(path: Path, name: str, kind: columns.Kind) -> columns.Layout:
    """The layout of a table that is said to be of this kind."""
    return columns.guess(tables.read_table(path, name, RejectedRows(), tables.SAMPLE_ROWS), kind)


def headings(path: Path, name: str) -> list[str]:
    return tables.read_table(path, name, RejectedRows(), 1).columns


def check(path: Path, name: str, wanted: ImportRequest) -> None:
    """ImportRefused when something that is needed is not said, or a layout does not fit, before any row is read."""
    if wanted.format in ("table", "openmetrics", "plans"):
        _server(wanted)
    if wanted.format == "table":
        checked(wanted.layout, tables.read_table(path, name, RejectedRows(), tables.SAMPLE_ROWS))
