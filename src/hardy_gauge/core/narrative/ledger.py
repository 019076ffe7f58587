"""What the Ledger says first."""

from __future__ import annotations

from collections.abc import Sequence

from hardy_gauge.core.activity.ledger import TIME, UNITS, Measure
from hardy_gauge.core.activity.ledger_sheet import Entry
from hardy_gauge.core.figures.formatting import amount, listed, share, size
from hardy_gauge.core.narrative.comparison import compared, short
from hardy_gauge.core.reference.typical_day import Typical

NAMED = 4
MEASURES: dict[Measure, str] = {
    "time": "time", "calls": "calls", "rows_returned": "rows returned", "rows_examined": "rows examined", "pages_read": "pages read",
    "pages_requested": "pages requested", "temporary_pages": "temporary pages written", "log_bytes": "log written",
}  # fmt: skip


def ledger_sentence(
    scope: str,
    entries: Sequence[Entry],
    total: float,
    seconds: float,
    reference: Typical | None,
    name: str,
    filtered: bool,
    measure: Measure = TIME,
) -> str:
    """How much time was spent, compared with the reference, and on what most of it went."""
    if measure != TIME:
        return _counted(scope, entries, total, seconds, reference, name, measure)
    if not seconds:
        return f"No sessions of {scope} were looked at in this window, so where its time went is not known."
    if not entries:
        return f"No session of {scope} was seen working or waiting in this window."
    top = entries[0]
    against = f", {compared(total, reference, name)}" if reference is not None else ""
    narrowed = " of what is left" if filtered else ""
    return (
        f"{scope} had {total:.2f} active sessions on average{against}; "
        f"{share(top.share)}{narrowed} is {short(top.label)}, {top.difference}."
    )


def _counted(
    scope: str, entries: Sequence[Entry], total: float, seconds: float, reference: Typical | None, name: str, measure: Measure
) -> str:  # fmt: skip
    """The same of what statement counters count."""
    what = MEASURES[measure]
    if not seconds:
        return f"Statements of {scope} were not counted in this window, so whose {what} these were is not known."
    if not entries:
        return f"No {what} were counted of statements of {scope} in this window, or its servers do not report them."
    top, against = entries[0], f", {compared(total, reference, name)}" if reference is not None else ""
    rate = f"{size(total)} of {what}" if measure in UNITS else f"{amount(total)} {what}"
    return f"{scope} had {rate} a second{against}; {share(top.share)} is {short(top.label)}, {top.difference}."


def not_recorded_words(servers: Sequence[str]) -> list[str]:
    """Whose part of a ledger is missing altogether."""
    return [f"{listed(servers, NAMED)} {'was' if len(servers) == 1 else 'were'} not recorded"] if servers else []


def not_reported_words(servers: Sequence[str], measure: Measure) -> list[str]:
    """Whose statements are counted, but not by this."""
    return (
        [f"{listed(servers, NAMED)} {'does' if len(servers) == 1 else 'do'} not report {MEASURES[measure]}"]
        if servers
        else []
    )
