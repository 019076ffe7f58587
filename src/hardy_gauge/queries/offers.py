"""What a focus can be compared with while nothing usual is known: the time before it, a server like it, a day before."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from hardy_gauge.core.figures.formatting import duration
from hardy_gauge.core.time.span import DAY_US, Span
from hardy_gauge.core.time.window import SERVER, Window
from hardy_gauge.queries.coverage import covered
from hardy_gauge.queries.reader import Reader
from hardy_gauge.store.models import Server

ENOUGH = 0.5


@dataclass(frozen=True)
class ReferenceOffer:
    """``reference`` as it stands in an address, and what it is in words."""

    reference: str
    words: str


def reference_offers(reader: Reader, owner: Server, peers: Sequence[Server], window: Window) -> list[ReferenceOffer]:
    """Only what was recorded, at least half of it."""
    focus = window.focus
    length = focus.until_us - focus.since_us
    found = []
    before = {length: f"the {duration(focus.seconds)} before", DAY_US: "the same time a day before"}
    for by, words in before.items():
        span = focus.moved(-by)
        if by >= length and _is_known(reader, owner, span):
            found.append(ReferenceOffer(span.iso(), words))
    found += [
        ReferenceOffer(f"{SERVER}{peer.name}", f"{peer.name}, {peer.role}, over the same time")
        for peer in peers
        if _is_known(reader, peer, focus)
    ]
    return found


def _is_known(reader: Reader, server: Server, span: Span) -> bool:
    return covered(reader, [server], span, "counters")[server.id] >= ENOUGH * span.seconds
