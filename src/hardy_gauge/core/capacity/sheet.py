"""The sheet of sizing aids of a server."""

from __future__ import annotations

from collections.abc import Collection, Sequence
from dataclasses import dataclass
from typing import Literal

from hardy_gauge.core.capacity.aid import Lacking, SizingAid

TITLE = "Hit ratio by the size of the cache"
LOOKS, APART_S = 6, 3.0  # at what is cached, for a forecast


@dataclass(frozen=True)
class CurveOffer:
    """How a cache curve can be made of a server: ``source`` is the ability that it is made from, ``words`` what asking for it does."""

    source: Literal["page_trace", "cached_pages"]
    title: str
    button: str
    words: str


@dataclass(frozen=True)
class SizingSheet:
    """``days`` of figures were read; ``curve`` is None where the server tells nothing that a cache curve is made from."""

    server: str
    sentence: str
    days: float
    aids: Sequence[SizingAid]
    lacking: Sequence[Lacking]
    curve: CurveOffer | None


def curve_offer(server: str, abilities: Collection[str]) -> CurveOffer | Lacking:
    """From the pages that are asked for where the server tells them, else from looks at what is cached."""
    if "page_trace" in abilities:
        words = f"{server} is asked which pages it is asked for now; nothing is changed."
        return CurveOffer("page_trace", TITLE, "Make the cache curve", words)
    if "cached_pages" in abilities:
        words = (
            f"What {server} has cached is looked at {LOOKS} times in {(LOOKS - 1) * APART_S:.0f} s; nothing is changed."
        )
        return CurveOffer("cached_pages", f"{TITLE}, as a forecast", "Make a forecast of the cache curve", words)
    return Lacking("Cache curve", "the server tells neither which pages are asked for nor what is cached")


def sizing_sentence(server: str, aids: Sequence[SizingAid], lacking: Sequence[Lacking]) -> str:
    """What would be changed, by name, or that nothing would; then what the rules leave open, and what is not known."""
    if not aids:
        return f"Nothing that sizes are made from is known of {server}."
    changed = _named([one.title for one in aids if one.remedy is not None])
    start = f"another size would be right for: {changed}" if changed else "nothing that could be told has a wrong size"
    open_ = _named([one.title for one in aids if one.undecided])
    rest = [f"they leave open: {open_}"] if open_ else []
    rest += [f"not known: {_named([one.title for one in lacking])}"] if lacking else []
    return f"By these rules, on {server} {'; '.join([start, *rest])}."


def _named(titles: Sequence[str]) -> str:
    return ", ".join(title[0].lower() + title[1:] for title in titles)
