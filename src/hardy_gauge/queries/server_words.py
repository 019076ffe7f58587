"""The sentence of a server: how it does, since when, and what is at the root of it."""

from __future__ import annotations

from collections.abc import Mapping

from hardy_gauge.core.diagnosis.finding import Finding
from hardy_gauge.core.figures.gauge import NamedGauge
from hardy_gauge.core.narrative.recurrences import job_in_focus_words
from hardy_gauge.core.narrative.server import ServerFacts, server_sentence
from hardy_gauge.core.reference.usual_range import ready_us
from hardy_gauge.core.time.span import MINUTE_US, Span
from hardy_gauge.core.time.window import Window
from hardy_gauge.queries.activity import doing
from hardy_gauge.queries.coverage import first_recorded_us, first_seen_us
from hardy_gauge.queries.reader import Reader
from hardy_gauge.queries.recurrences import job_on
from hardy_gauge.store.models import Server

LAST_US = 5 * MINUTE_US
TOLD = 0.1  # of the time: a job that takes less is not told of


def server_words(
    reader: Reader,
    owner: Server,
    window: Window,
    load: NamedGauge,
    root: Finding | None,
    state_words: str,
    shares: Mapping[str, float],
) -> str:
    """``load`` are its active sessions over the focus, ``shares`` what each statement took of its time, by fingerprint."""
    focus = window.focus
    shift = reader.shift(owner.id, focus.until_us)
    since = max(focus.since_us, focus.until_us - LAST_US, shift.since_us if shift else 0)
    first = first_recorded_us(reader, [owner]).get(owner.id)
    return server_sentence(
        ServerFacts(
            owner.name, focus, window.following, load.value, load.low, load.centre, load.high, shift,
            doing(reader, [owner], Span(since, focus.until_us))[owner.id], root.title if root else "", root.share if root else 0.0,
            ready_us(first, focus.until_us) if first else None, first_seen_us(reader, [owner]).get(owner.id), state_words,
            _job_words(reader, owner, focus, shares),
        )
    )  # fmt: skip


def _job_words(reader: Reader, owner: Server, focus: Span, shares: Mapping[str, float]) -> str:
    found = job_on(reader, owner, focus, shares)
    if found is None or shares[found[0].fingerprint] < TOLD:
        return ""
    return job_in_focus_words(found[0], shares[found[0].fingerprint], found[1])
