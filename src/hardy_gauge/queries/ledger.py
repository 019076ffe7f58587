"""The ledger of a scope over a window: entries, a map of up to three dimensions and a stack, beside the reference."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any

import polars as pl

from hardy_gauge.core.activity.ledger import (
    COUNTED_DIMENSIONS,
    COUNTED_UNIT,
    UNITS,
    Dimension,
    time_spent,
)
from hardy_gauge.core.activity.ledger_sheet import Cell, CellPart, Entry, Ledger, mosaic_of
from hardy_gauge.core.narrative.comparison import compared
from hardy_gauge.core.narrative.ledger import ledger_sentence
from hardy_gauge.core.reference.typical_day import Typical
from hardy_gauge.core.time.window import Window
from hardy_gauge.queries.ledger_names import Names
from hardy_gauge.queries.ledger_question import LedgerQuestion
from hardy_gauge.queries.ledger_reference import at_step, ledger_reference
from hardy_gauge.queries.ledger_rows import LedgerRows
from hardy_gauge.queries.ledger_stack import stack_of
from hardy_gauge.queries.reader import Reader
from hardy_gauge.queries.reference import ReferenceSpans, reference_spans
from hardy_gauge.queries.scope import servers_in


def ledger(reader: Reader, window: Window, scope: str, asked: LedgerQuestion) -> Ledger:
    """InvalidInput when a dimension is crossed with itself, or what is counted is not counted by it."""
    asked.check()
    source = LedgerRows(reader, asked.measure)
    source.check(asked.all)
    servers = servers_in(reader, scope)
    names = Names(reader, servers)
    looked = source.looked(servers, window.focus)
    seconds = source.seconds(servers, window.focus, looked)
    whole = names.left(source.read(servers, window.focus, asked.all), asked.filters, asked.without)
    whole = names.keyed(whole, asked.shown)
    spans = reference_spans(reader, servers, window, source.source)
    summed, outline = ledger_reference(reader, source, spans, names, asked)
    name = window.reference.name

    def entries(rows: pl.DataFrame, before: pl.DataFrame, by: Dimension) -> list[Entry]:
        usual = spans.grids(_summed(before, [by]))
        found = source.entries(rows, [by], seconds).iter_rows(named=True)
        return [_entry(row, by, names.label(by, row[by]), spans.rate(usual.get(row[by])), name) for row in found]

    steps = entries(whole, summed, asked.through) if asked.through else []
    rows, summed = at_step(whole, asked), at_step(summed, asked)
    found = entries(rows, summed, asked.by)
    total = sum(entry.active_sessions for entry in found)
    usual = spans.rate(spans.grids(_summed(summed, [])).get(""))
    labels = {
        key: names.label(dimension, key) for dimension in asked.shown for key in whole[dimension].unique().to_list()
    }
    looked_at = sum(seconds.values()) / max(len(servers), 1)
    return Ledger(
        sentence=ledger_sentence(scope, found, total, looked_at, usual, name, bool(asked.filters or asked.without or asked.at), asked.measure),
        reference_note=spans.note(), focus=window.focus.iso(), seconds=looked_at, active_sessions=total, reference=usual,
        by=asked.by, against=asked.against, through=asked.through, at=asked.at, steps=steps,
        measure=asked.measure, unit=UNITS.get(asked.measure, COUNTED_UNIT), entries=found,
        mosaic=mosaic_of(_cells(source, asked, rows, summed, seconds, spans)), labels=labels,
        stack=stack_of(window.focus, rows, asked.by, looked, outline, spans.window.focus, source.shortest_step_us),
        filters={str(name): list(values) for name, values in asked.filters.items()},
        without={str(name): list(values) for name, values in asked.without.items()},
        counted=COUNTED_DIMENSIONS, unknown=source.unknown(servers, window.focus, seconds),
        names={
            f"{name}.{value}": names.label(name, value)
            for given in (asked.filters, asked.without) for name, values in given.items() for value in values
        },
    )  # fmt: skip


def _cells(
    source: LedgerRows, asked: LedgerQuestion, rows: pl.DataFrame, before: pl.DataFrame, seconds: Mapping[int, float], spans: ReferenceSpans
) -> list[Cell]:  # fmt: skip
    """Entries crossed, each with its parts by the third dimension where there is one and all of it is shown."""
    both = spans.grids(_summed(before, [asked.by, asked.against]))
    parts: dict[tuple[str, str], list[CellPart]] = {}
    if asked.through is not None and not asked.at:
        for row in source.entries(rows, asked.shown, seconds).iter_rows(named=True):
            parts.setdefault((row[asked.by], row[asked.against]), []).append(
                CellPart(row[asked.through], row["active_sessions"])
            )
    return [
        Cell(
            r[asked.by], r[asked.against], r["active_sessions"], r["low"], r["high"],
            _value(spans.rate(both.get((r[asked.by], r[asked.against])))), parts.get((r[asked.by], r[asked.against]), []),
        )
        for r in source.entries(rows, [asked.by, asked.against], seconds).iter_rows(named=True)
    ]  # fmt: skip


def _summed(before: pl.DataFrame, by: Sequence[str]) -> list[tuple[object, int, int, float]]:
    """Key, server id, span and what was spent; the key is "" of no dimension, a pair of two."""
    if before.is_empty():
        return []
    rows = before.group_by([*by, "server_id", "span"]).agg(time_spent(before).alias("spent"))
    return [
        ("" if not by else row[0] if len(by) == 1 else (row[0], row[1]), row[-3], row[-2], row[-1])
        for row in rows.iter_rows()
    ]


def _value(typical: Typical | None) -> float | None:
    return None if typical is None else typical.value


def _entry(row: dict[str, Any], by: str, label: str, reference: Typical | None, name: str) -> Entry:
    return Entry(
        key=row[by], label=label, active_sessions=row["active_sessions"], low=row["low"], high=row["high"],
        share=row["share"], samples=row["samples"], reference=reference,
        difference=compared(row["active_sessions"], reference, name),
    )  # fmt: skip
