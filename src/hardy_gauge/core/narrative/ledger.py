"""What the Ledger says first."""

from __future__ import annotations

from collections.abc import Sequence

from hardy_gauge.core.activity.ledger_sheet import Entry
from hardy_gauge.core.figures.formatting import share
from hardy_gauge.core.narrative.comparison import compared, short
from hardy_gauge.core.reference.typical_day import Typical


def ledger_sentence(
    scope: str,
    entries: Sequence[Entry],
    total: float,
    seconds: float,
    reference: Typical | None,
    name: str,
    filtered: bool,
) -> str:
    """How much time was spent, compared with the reference, and on what most of it went."""
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
