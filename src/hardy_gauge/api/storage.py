"""What recording costs: bytes stored and time taken on each server, limits, and when they are reached."""

from __future__ import annotations

import polars as pl
from fastapi import APIRouter, Request
from pydantic import BaseModel

from hardy_gauge.api.data import CurrentData, Data
from hardy_gauge.api.window import servers_in
from hardy_gauge.capture.limits import Limits, Use, limits_of, set_limits, use_of
from hardy_gauge.capture.settings_file import COMMAND, as_yaml
from hardy_gauge.core.reference.words import share, size
from hardy_gauge.store.models import Server

router = APIRouter(tags=["storage"], prefix="/storage")
HOUR_US = 3_600_000_000


class Price(BaseModel):
    """Of the last hour. ``calls_per_s`` and ``waited_share`` are seen from here, ``core_share`` is of a core here;
    ``server_share`` is counted by the server itself, as a share of one core or session, where it can; None where
    nothing tells.
    """

    server: str
    bytes_a_day: float
    calls_per_s: float | None
    waited_share: float | None
    core_share: float | None
    server_share: float | None


class Storage(BaseModel):
    sentence: str
    used_bytes: int
    bytes_a_day: float
    days_left: float | None
    by_kind: dict[str, int]
    limits: Limits
    prices: list[Price]
    yaml: str
    command: str


@router.get("")
def storage(data: CurrentData) -> Storage:
    servers = servers_in(data, "fleet")
    with data.store.read() as session:
        use, limits = use_of(session, data.clock()), limits_of(session)
    prices = [_price(data, server, use.by_server_a_day.get(server.id, 0.0)) for server in servers]
    return Storage(
        sentence=_sentence(use, limits, prices), used_bytes=use.used_bytes, bytes_a_day=use.bytes_a_day,
        days_left=use.days_left, by_kind=use.by_kind, limits=limits,
        prices=prices,
        yaml=as_yaml(limits=limits), command=COMMAND,
    )  # fmt: skip


def _price(data: Data, server: Server, bytes_a_day: float) -> Price:
    now = data.clock()
    columns = ["span_s", "capture_calls_made", "capture_call_s", "capture_core_s", "capture_s"]
    frame = data.metrics([server.id], now - HOUR_US, now, columns)
    told = frame.drop_nulls("capture_call_s") if "capture_call_s" in frame.columns else pl.DataFrame()
    if told.is_empty():
        return Price(
            server=server.name, bytes_a_day=bytes_a_day, calls_per_s=None, waited_share=None, core_share=None,
            server_share=None,
        )  # fmt: skip
    seconds = float(told["span_s"].sum())

    def per_s(name: str) -> float | None:
        return float(told[name].sum()) / seconds if name in told.columns and told[name].count() else None

    return Price(
        server=server.name, bytes_a_day=bytes_a_day, calls_per_s=per_s("capture_calls_made"),
        waited_share=per_s("capture_call_s"), core_share=per_s("capture_core_s"), server_share=per_s("capture_s"),
    )  # fmt: skip


def _sentence(use: Use, limits: Limits, prices: list[Price]) -> str:
    told = [price.core_share for price in prices if price.core_share is not None]
    here = f"Recording takes {share(sum(told))} of a core here. " if told else ""
    text = f"{here}The store takes {size(use.used_bytes)} and grows by {size(use.bytes_a_day)} a day"
    if limits.most_bytes is None:
        return f"{text}; no limit of size is set."
    if use.days_left is None:
        return f"{text}; the limit is {size(limits.most_bytes)}."
    days = f"{use.days_left:,.0f}" if use.days_left >= 10 else f"{use.days_left:.1f}"
    return f"{text}; at this rate the limit of {size(limits.most_bytes)} is reached in {days} days."


@router.put("/limits")
def limits(request: Limits, data: CurrentData, http: Request) -> Storage:
    """Ages and size; what is past them goes at the next clean-up, within ten minutes."""
    with data.store.write() as session:
        set_limits(session, request)
    http.app.state.poke()
    return storage(data)
