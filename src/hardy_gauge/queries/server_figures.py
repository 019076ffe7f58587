"""Every level and rate that is recorded of a server, with its usual range."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace
from typing import Any, cast

import numpy as np
import polars as pl

from hardy_gauge.core.figures.catalogue import FIGURES, SPAN, Figure, Unit, is_level, recorded_figure, volume_latencies
from hardy_gauge.core.figures.gauge import NamedGauge
from hardy_gauge.core.narrative.server import figures_sentence
from hardy_gauge.core.reference.usual_range import UNUSUAL
from hardy_gauge.core.time.span import Span
from hardy_gauge.queries.coverage import is_young
from hardy_gauge.queries.gauges import gauges_of
from hardy_gauge.queries.reader import Reader
from hardy_gauge.store.models import Server

KEYS = ("at_us", SPAN, "server_id")
OF_CAPTURE = "capture_"


@dataclass(frozen=True)
class RecordedFigure(NamedGauge):
    """A level, or what a counter grows by a second, over a span; ``last`` is a level's last value."""

    level: bool
    last: float | None


@dataclass(frozen=True)
class ServerFigures:
    """What is unusual comes first."""

    server: str
    sentence: str
    figures: list[RecordedFigure]


def figures_of(reader: Reader, owner: Server, span: Span) -> ServerFigures:
    """Every figure of the server that has a value in the span."""
    frame = reader.counters([owner.id], span)
    figures = recorded_figures(owner, frame)
    usual = reader.usual_of(owner.id, figures)
    found = []
    gauges = gauges_of(frame, figures, [usual[figure.name] for figure in figures], span)
    for figure, gauge in zip(figures, gauges, strict=True):
        if gauge.value is not None:
            last = _last(frame[figure.above]) if figure.kind == "level" else None
            found.append(
                RecordedFigure(
                    gauge.value, gauge.low, gauge.centre, gauge.high, gauge.word, figure.name, figure.title, figure.unit,
                    figure.kind == "level", last,
                )
            )  # fmt: skip
    found.sort(key=lambda one: (one.word not in UNUSUAL, one.title))
    unusual = [one.title for one in found if one.word in UNUSUAL]
    return ServerFigures(
        owner.name,
        figures_sentence(
            owner.name,
            unusual,
            sum(one.low is not None for one in found),
            len(found),
            is_young(reader, [owner], span.until_us),
        ),
        found,
    )


def _last(values: pl.Series) -> float | None:
    known = values.to_numpy().astype(float)  # null is NaN here
    known = known[np.isfinite(known)]
    return float(known[-1]) if len(known) else None


def recorded_figures(owner: Server, frame: pl.DataFrame) -> list[Figure]:
    """Every level and rate of the server's recorded rows, and the time of a request of each volume."""
    counters = {f"own.{one['name']}" for one in owner.figures if one.get("kind") == "counter"}
    names = sorted(
        c for c in frame.columns if c not in KEYS and not c.startswith(OF_CAPTURE) and frame[c].dtype.is_numeric()
    )
    named = {f"own.{one['name']}": one for one in owner.figures}
    figures = [
        _titled(recorded_figure(name, not is_level(name) or _own(name) in counters), named.get(_own(name)))
        for name in names
    ]
    return figures + volume_latencies(names)


def _titled(figure: Figure, own: Mapping[str, Any] | None) -> Figure:
    """With the title and the unit that the user gave to a figure of their own."""
    if own is None:
        return figure
    label = figure.name.removeprefix(f"own.{own['name']}").removeprefix(".")
    title = f"{own['title']} {label}".strip() if own.get("title") else figure.title
    unit = own.get("unit") or ""
    said = f"{unit}/s" if unit and figure.kind == "rate" else unit or figure.unit
    return replace(figure, title=title, unit=cast(Unit, said))


def figure_for(reader: Reader, owner: Server, name: str, span: Span) -> Figure:
    """A figure of the catalogue, or of what is recorded of the server; of what is not recorded what it would be."""
    if name in FIGURES:
        return FIGURES[name]
    known = {one.name: one for one in recorded_figures(owner, reader.counters([owner.id], span))}
    return known.get(name) or recorded_figure(name, not is_level(name))


def _own(name: str) -> str:
    """The name of a figure of the user's own, without what it is of."""
    return ".".join(name.split(".")[:2])
