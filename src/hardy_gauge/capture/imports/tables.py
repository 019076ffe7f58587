"""Tables as files: CSV (RFC 4180), JSON Lines and Parquet, read into columns with the line each row stands on."""

from __future__ import annotations

import csv
import io
import json
from pathlib import Path
from typing import Any, Literal

import polars as pl

from hardy_gauge.capture.imports.rejected_rows import ImportRefused, RejectedRows

Form = Literal["csv", "jsonl", "parquet"]
SEPARATORS = (",", ";", "\t", "|")
LINE = "line"
LONGEST_FIELD = 2**24
SAMPLE_ROWS = 2000
BLOCK_BYTES = 64 * 2**20
ROWS_OF_A_TEXT = 20
csv.field_size_limit(LONGEST_FIELD)


def form_of(name: str, head: bytes) -> Form:
    """What a file is, by its first bytes and then its name."""
    if head.startswith(b"PAR1"):
        return "parquet"
    if head.lstrip(b"\xef\xbb\xbf \t\r\n").startswith(b"{") or name.lower().endswith((".jsonl", ".ndjson")):
        return "jsonl"
    return "csv"


def read_table(path: Path, name: str, rejected: RejectedRows, rows: int | None = None) -> pl.DataFrame:
    """Columns as they are in the file and ``line``; with ``rows`` only about so many from its beginning.

    ImportRefused when the file as a whole is not what it seems.
    """
    with path.open("rb") as file:
        head = file.read(4096)
    if not head.strip():
        raise ImportRefused("the file is empty")
    form = form_of(name, head)
    frame = {"csv": _csv, "jsonl": _jsonl, "parquet": _parquet}[form](path, rejected, rows)
    if not frame.width or frame.columns == [LINE]:
        raise ImportRefused("the file has no columns")
    return frame


def _csv(path: Path, rejected: RejectedRows, rows: int | None) -> pl.DataFrame:
    with path.open("rb") as file:
        first = file.readline(LONGEST_FIELD).decode("utf-8-sig", "replace")
    separator = max(SEPARATORS, key=first.count)
    try:
        frame = pl.read_csv(path, separator=separator, infer_schema=False, n_rows=rows)
    except pl.exceptions.PolarsError:
        return _csv_by_line(path, separator, rejected, rows)
    if any(c == LINE or c.startswith("_duplicated_") or "\n" in c for c in frame.columns):
        return _csv_by_line(path, separator, rejected, rows)
    if rows is None and not _fits(path, separator, frame):
        return _csv_by_line(path, separator, rejected, rows)
    breaks = _inside("\n")
    before = pl.int_range(pl.len(), dtype=pl.Int64) + 2 + breaks.cum_sum() - breaks
    return frame.with_columns(before.alias(LINE))


def _inside(character: str) -> pl.Expr:
    """How often a character stands within the fields of a row."""
    return pl.sum_horizontal(pl.col(pl.String).str.count_matches(character, literal=True).fill_null(0)).cast(pl.Int64)


def _fits(path: Path, separator: str, frame: pl.DataFrame) -> bool:
    """Whether every line of the file is a whole row: its separators and line ends are as many as they should be."""
    inside = frame.select(_inside(separator).alias("separators"), _inside("\n").alias("ends")).sum().row(0)
    heading = sum(name.count(separator) for name in frame.columns)
    separators = _count(path, separator.encode()) - (inside[0] or 0) - heading
    ends = lines_of(path) - (inside[1] or 0)
    return bool(separators == (len(frame) + 1) * (frame.width - 1) and ends == len(frame) + 1)


def _count(path: Path, what: bytes) -> int:
    with path.open("rb") as file:
        return sum(block.count(what) for block in iter(lambda: file.read(2**24), b""))


def lines_of(path: Path) -> int:
    """Line ends in a file, and the last line when it has none."""
    with path.open("rb") as file:
        file.seek(max(0, path.stat().st_size - 1))
        last = file.read(1)
    return _count(path, b"\n") + (last not in (b"\n", b""))


def _csv_by_line(path: Path, separator: str, rejected: RejectedRows, rows: int | None) -> pl.DataFrame:
    """Slower, for files with lines that do not fit: each of those is noted."""
    with path.open(encoding="utf-8-sig", errors="replace", newline="") as file:
        reader = csv.reader(file, delimiter=separator)
        names: list[str] = []
        taken: list[list[str | None]] = []
        lines: list[int] = []
        line = 1
        try:
            for fields in reader:
                if not names:
                    names = _names(fields)
                elif fields and len(fields) != len(names):
                    rejected.add(line, f"another number of fields than the heading: {len(fields)}, not {len(names)}")
                elif fields:
                    taken.append([text or None for text in fields])
                    lines.append(line)
                line = reader.line_num + 1
                if rows is not None and len(taken) >= rows:
                    break
        except csv.Error as error:
            rejected.add(line, f"not CSV from here on: {error}")
    if not names:
        raise ImportRefused("the file has no heading")
    columns = {name: [row[i] for row in taken] for i, name in enumerate(names)}
    schema: dict[str, Any] = {name: pl.String for name in names}
    return pl.DataFrame(columns, schema=schema).with_columns(pl.Series(LINE, lines, dtype=pl.Int64))


def _names(fields: list[str]) -> list[str]:
    """Headings, each made unique; none is called as the column of line numbers is."""
    names: list[str] = []
    for number, text in enumerate(fields, 1):
        name = base = text.strip() or f"column {number}"
        again = 2
        while name in names or name == LINE:
            name, again = f"{base} ({again})", again + 1
        names.append(name)
    return names


def _jsonl(path: Path, rejected: RejectedRows, rows: int | None) -> pl.DataFrame:
    if rows is None:
        try:
            frame = _jsonl_by_block(path)
            if frame is not None:
                return frame.with_columns(pl.int_range(1, pl.len() + 1, dtype=pl.Int64).alias(LINE))
        except (pl.exceptions.PolarsError, OSError, pl.exceptions.PanicException):
            pass
    return _jsonl_by_line(path, rejected, rows)


def _jsonl_by_block(path: Path) -> pl.DataFrame | None:
    """Block by block, so that the memory it takes is that of its rows; texts that stand in many of them are kept once (Categorical). None where
    some line is no row like the first ones.
    """
    blocks: list[pl.DataFrame] = []
    often: list[str] = []
    schema: pl.Schema | None = None
    with path.open("rb") as file:
        while content := file.read(BLOCK_BYTES):
            content += file.readline()
            if schema is None:
                schema = pl.read_ndjson(io.BytesIO(content), infer_schema_length=SAMPLE_ROWS, n_rows=SAMPLE_ROWS).schema
                if LINE in schema:
                    return None
            block = pl.read_ndjson(io.BytesIO(content), schema=schema)
            if len(block) != content.count(b"\n") + (not content.endswith(b"\n")):
                return None
            block = _plain(block)
            if not blocks and len(content) > BLOCK_BYTES:
                often = [one.name for one in block.get_columns() if _stands_often(one)]
            blocks.append(block.with_columns(pl.col(often).cast(pl.Categorical)) if often else block)
    return pl.concat(blocks) if blocks else None


def _stands_often(column: pl.Series) -> bool:
    """Whether a column is of texts of which each stands in many rows, about."""
    return column.dtype == pl.String and int(
        column.to_frame().select(pl.first().approx_n_unique()).item()
    ) * ROWS_OF_A_TEXT < len(column)


def _jsonl_by_line(path: Path, rejected: RejectedRows, rows: int | None) -> pl.DataFrame:
    taken: list[dict[str, Any]] = []
    with path.open("rb") as file:
        for number, line in enumerate(file, 1):
            if not line.strip():
                continue
            try:
                row = json.loads(line.decode("utf-8-sig"))
            except (ValueError, RecursionError):
                rejected.add(number, "not a line of JSON")
                continue
            if not isinstance(row, dict):
                rejected.add(number, "not a JSON object")
                continue
            flat = {name: _text(value) for name, value in row.items() if name != LINE}
            taken.append(flat | {LINE: number})
            if rows is not None and len(taken) >= rows:
                break
    if not taken:
        raise ImportRefused("no line of the file is a JSON object")
    names = dict.fromkeys(name for row in taken for name in row)
    schema = {name: pl.Int64 if name == LINE else pl.String for name in names}
    return pl.DataFrame([{name: row.get(name) for name in names} for row in taken], schema=schema)


def _text(value: Any) -> str | None:
    if value is None or isinstance(value, str):
        return value.encode("utf-8", "replace").decode() if value else None
    return json.dumps(value)


def _parquet(path: Path, rejected: RejectedRows, rows: int | None) -> pl.DataFrame:
    try:
        frame = pl.read_parquet(path, n_rows=rows)
    except (pl.exceptions.PolarsError, OSError, pl.exceptions.PanicException) as error:
        raise ImportRefused(f"the file is not Parquet: {' '.join(str(error).split())[:200]}") from error
    frame = frame.rename({LINE: f"{LINE} (2)"}) if LINE in frame.columns else frame
    return _plain(frame.with_columns(pl.int_range(1, pl.len() + 1, dtype=pl.Int64).alias(LINE)))


def _plain(frame: pl.DataFrame) -> pl.DataFrame:
    """Without columns of columns; categories and bytes as text."""
    kept = [name for name, kind in frame.schema.items() if not kind.is_nested()]
    return frame.select(kept).with_columns(pl.col(pl.Categorical, pl.Enum, pl.Null).cast(pl.String))


def sample_of(frame: pl.DataFrame, count: int) -> list[dict[str, str]]:
    """The first rows as text, to show."""
    buffer = io.StringIO()
    frame.head(count).write_csv(buffer)
    buffer.seek(0)
    return [{k: v[:200] for k, v in row.items()} for row in csv.DictReader(buffer)]
