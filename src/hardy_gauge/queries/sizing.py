"""Sizing aids of a server, from its figures over two weeks."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

import numpy as np
import polars as pl

from hardy_gauge.core.capacity.aid import Lacking
from hardy_gauge.core.capacity.aids import AIDS
from hardy_gauge.core.capacity.known import Busy, Known, Volume
from hardy_gauge.core.capacity.sheet import SizingSheet, curve_offer, sizing_sentence
from hardy_gauge.core.diagnosis.building import bytes_of
from hardy_gauge.core.evidence.evidence import Unknown
from hardy_gauge.core.evidence.sources import SettingFact
from hardy_gauge.core.figures.catalogue import FIGURES, Figure, recorded_figure
from hardy_gauge.core.figures.minutes import by_minute, over_span
from hardy_gauge.core.time.span import DAY_US, Span
from hardy_gauge.queries.evidence_sources import settings
from hardy_gauge.queries.reader import Reader
from hardy_gauge.queries.scope import beside, server_named
from hardy_gauge.store.models import Server, Snapshot

DAYS = 14
NAMES = ("active_sessions", "calls_per_s", "response_s", "log_bytes_per_s")
OPEN, BOTH = "sessions_open", "in both ways"
COUNTED = ("pages_written", "pages_written_by_sessions")
BOTH_WAYS = (("volume_reads.", "volume_writes."), ("volume_read_bytes.", "volume_write_bytes."))


def sizing_sheet(reader: Reader, name: str) -> SizingSheet:
    """NotFound where there is no such server."""
    server = server_named(reader, name)
    known = _known(reader, server)
    found = [aid(known) for aid in AIDS]
    aids = [one for one in found if not isinstance(one, Lacking)]
    offer = curve_offer(name, server.abilities)
    lacking = [one for one in (*found, offer) if isinstance(one, Lacking)]
    return SizingSheet(
        name, sizing_sentence(name, aids, lacking), known.days, aids, lacking, None if isinstance(offer, Lacking) else offer
    )  # fmt: skip


def setting_bytes(reader: Reader, server: Server, neutral: str) -> float | None:
    """A setting in bytes by its neutral name; None where the server reports no such size."""
    return bytes_of(_settings(reader, server).get(neutral))


def _known(reader: Reader, server: Server) -> Known:
    now = reader.clock()
    span = Span(now - DAYS * DAY_US, now)
    host, names = server.host, [one["name"] for one in server.host.get("volumes", [])]
    columns = [f"{prefix}{name}" for name in names for pair in BOTH_WAYS for prefix in pair]
    times = [f"volume_read_s.{name}" for name in names]
    figures = [FIGURES[one] for one in NAMES]
    wanted = dict.fromkeys([*(c for one in figures for c in one.columns), OPEN, *COUNTED, *times, *columns])
    frame = reader.counters([server.id], span, wanted)
    busy = {
        one.name: _busy(frame, one)
        for one in (*figures, recorded_figure(OPEN, False), *(recorded_figure(one, True) for one in COUNTED))
    }
    data = next((one["name"] for one in host.get("volumes", []) if one["purpose"] == "data"), None)
    days = (now - int(frame["at_us"][0])) / DAY_US if len(frame) else 0.0
    return Known(
        server.name, server.engine, days, host.get("memory_bytes"), host.get("cores"),
        {one: told for one, told in busy.items() if told is not None}, _settings(reader, server),
        tuple(volume for one in host.get("volumes", []) if (volume := _volume(frame, one)) is not None), _read_pace(frame, host),
        _data_bytes(reader, server), _ratio(frame, f"volume_read_s.{data}", f"volume_reads.{data}"),
        _ratio(frame, f"volume_read_bytes.{data}", f"volume_reads.{data}"),
    )  # fmt: skip


def _read_pace(frame: pl.DataFrame, host: Mapping[str, Any]) -> float | None:
    """What was bought of the volume of the data; else bytes read ÷ time of these reads: as one asks for after the other."""
    data = next((one for one in host.get("volumes", []) if one["purpose"] == "data"), None)
    if data is None:
        return None
    if data.get("bytes_per_s_limit"):
        return float(data["bytes_per_s_limit"])
    return _ratio(frame, f"volume_read_bytes.{data['name']}", f"volume_read_s.{data['name']}")


def _ratio(frame: pl.DataFrame, part: str, of: str) -> float | None:
    """Of two counters over the whole span; None where either is not reported."""
    if part not in frame.columns or of not in frame.columns:
        return None
    return over_span(frame, Figure(part, part, "", "ratio", part, of))


def _data_bytes(reader: Reader, server: Server) -> float | None:
    """Of its tables and their indexes, as they were recorded last; None where no table was."""
    with reader.store.read() as session:
        row = session.get(Snapshot, (server.id, "schema"))
    tables = row.body["tables"] if row is not None else []
    if not tables:
        return None
    return float(sum(one["bytes"] + sum(index["bytes"] for index in one["indexes"]) for one in tables))


def _settings(reader: Reader, server: Server) -> Mapping[str, SettingFact]:
    told = settings(reader, server, beside(reader, server))
    return {} if isinstance(told, Unknown) else {one.neutral: one for one in told.values() if one.neutral}


def _busy(frame: pl.DataFrame, figure: Figure) -> Busy | None:
    _, values = by_minute(frame, figure)
    values = values[np.isfinite(values)]
    if not len(values):
        return None
    middle, high = (float(one) for one in np.quantile(values, [0.5, 0.95]))
    return Busy(middle, high, float(values.max()))


def _volume(frame: pl.DataFrame, told: Mapping[str, Any]) -> Volume | None:
    """Reads and writes of a volume together, as far as they are reported; None where no requests are."""
    found: list[Busy | None] = []
    for pair in BOTH_WAYS:
        each = [name for prefix in pair if (name := f"{prefix}{told['name']}") in frame.columns]
        both = frame.with_columns(pl.sum_horizontal(each, ignore_nulls=False).alias(BOTH)) if each else None
        found.append(None if both is None else _busy(both, recorded_figure(BOTH, True)))
    requests, moved = found
    if requests is None:
        return None
    limits = [told.get(name) for name in ("operations_per_s_limit", "bytes_per_s_limit")]
    bought = [None if one is None else float(one) for one in limits]
    return Volume(str(told["name"]), requests, moved, bought[0], bought[1], str(told["purpose"]))
