"""The rate of background writing, for what sessions have to write themselves."""

from __future__ import annotations

from hardy_gauge.core.capacity.aid import Lacking, SizingAid
from hardy_gauge.core.capacity.known import Known
from hardy_gauge.core.diagnosis.fact import Fact
from hardy_gauge.core.figures.formatting import figure, share
from hardy_gauge.core.remedies.remedy import Remedy

TITLE = "Background writing"
RATE, PAGES, EVERY = "background_write_rate", "background_write_pages", "background_write_every_s"
BEHIND = 0.1  # of the pages written, by sessions: it falls behind
STEP, ROOM = 2.0, 1.2


def background_aid(known: Known) -> SizingAid | Lacking:
    """Raised only where it falls behind, and in one step to at most twice as much; within what the data volume has left."""
    rate, written = _rate(known), known.figures.get("pages_written")
    by_sessions = known.figures.get("pages_written_by_sessions")
    if rate is None or written is None or by_sessions is None or written.high <= 0:
        return Lacking(
            TITLE, "the pages written, those that sessions wrote themselves, and the rate that is set are needed"
        )
    part = min(1.0, by_sessions.high / written.high)
    left = [v.requests_limit - v.requests.high for v in known.volumes if v.purpose == "data" and v.requests_limit]
    wanted = min(STEP * rate if rate else by_sessions.high, rate + ROOM * by_sessions.high)
    facts = [
        Fact("pages written in 95 minutes of 100", written.high, "/s", "figures"),
        Fact("of these by sessions that needed room", by_sessions.high, "/s", "figures"),
        Fact("rate that is set", rate, "/s", "settings", wanted if part > BEHIND else None),
    ]
    cautions = ["Bulk loads write pages of their own whatever the rate is; a page that changes again is written twice."]
    remedy, full = None, bool(left) and left[0] < wanted - rate
    if part <= BEHIND:
        sentence = f"Background writing keeps up: sessions write {share(part)} of the pages themselves in a busy time, at {figure(rate, '')} pages a second."
    elif full:
        sentence = f"Sessions write {share(part)} of the pages themselves in a busy time, but the data volume has only {figure(max(left[0], 0.0), '')} requests a second left: a higher rate would take them from reads."
    else:
        sentence = f"Background writing falls behind: sessions write {share(part)} of the pages themselves in a busy time. {figure(wanted, '')} pages a second would be the next step from {figure(rate, '')}."
        remedy = _raised(known, wanted)
    return SizingAid(
        "background_writes", TITLE, sentence, facts,
        f"min({STEP:g} × rate, rate + {ROOM:g} × pages that sessions write), where they write more than {share(BEHIND)}", "common practice",
        "setting/background_write_rate", cautions, remedy, part > BEHIND and full,
    )  # fmt: skip


def _rate(known: Known) -> float | None:
    """Pages a second: as set, or so many in each round."""
    pages, every = known.number(PAGES), known.number(EVERY)
    return pages / every if pages is not None and every else known.number(RATE)


def _raised(known: Known, wanted: float) -> Remedy | None:
    words = "Let more be written in the background"
    every = known.number(EVERY)
    if known.number(PAGES) is not None and every:
        return known.change(PAGES, max(1.0, wanted * every), words, in_bytes=False)
    return known.change(RATE, wanted, words, in_bytes=False)
