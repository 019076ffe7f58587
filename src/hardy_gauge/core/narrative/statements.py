"""What Statements and Statement say first."""

from __future__ import annotations

from collections.abc import Sequence

from hardy_gauge.core.figures.formatting import duration, share
from hardy_gauge.core.narrative.capture import FIRST_FIGURES
from hardy_gauge.core.statements.rows import StatementRow

NOT_SAMPLED = "Calls that have not finished are not seen here: sessions were not looked at in this window."
NO_BEGIN = (
    "Calls that have not finished are not counted here: the servers do not report when a call began. {running} "
    "at the end of the window; the Ledger has their time."
)


def statements_sentence(scope: str, rows: Sequence[StatementRow], searching: bool, young: bool = False) -> str:
    """How many statements ran and which is the heaviest; ``young``: recording began a moment ago."""
    if not rows and young and not searching:
        return f"{scope.capitalize() if scope == 'fleet' else scope} is recorded since a moment ago; its statements {FIRST_FIGURES}."
    if not rows:
        return (
            f"No statement of {scope} matches the search."
            if searching
            else f"No statement of {scope} was counted in this window."
        )
    top = rows[0]
    ran = f"{len(rows)} statements ran" if len(rows) != 1 else "One statement ran"
    if top.time_per_call_s is None:
        hangs = (
            f"{top.unfinished} calls of it are still running"
            if top.unfinished != 1
            else "one call of it is still running"
        )
        return f"{ran} on {scope}; the heaviest takes {share(top.share)} of the time: {hangs} and none has finished."
    against = "new here" if top.difference == "new" else f"its time per call {top.difference}"
    running = f", and {top.unfinished} {'are' if top.unfinished != 1 else 'is'} still running" if top.unfinished else ""
    return f"{ran} on {scope}; the heaviest takes {share(top.share)} of the time with {top.calls_per_s:.2g} calls/s, {against}{running}."


def statement_sentence(row: StatementRow, scope: str, plans: int) -> str:
    """How much of the time a statement takes, and how its calls compare."""
    if row.time_per_call_s is None:
        text = (
            f"{row.unfinished} calls of it are running for {duration(row.unfinished_s)} together and none has finished"
        )
        return f"The statement takes {share(row.share)} of the time of {scope}: {text}."
    kept = f"{row.calls_per_s:.2g} calls/s of {duration(row.time_per_call_s)}"
    against = f", {row.difference} per call" if row.reference_time_per_call_s is not None else f", {row.difference}"
    running = f"; {row.unfinished} still running" if row.unfinished else ""
    many = "; more than one plan was in use" if plans > 1 else ""
    return f"The statement takes {share(row.share)} of the time of {scope}: {kept}{against}{running}{many}."


def blind_words(sampled: bool, reports_begin: bool, running: int) -> str:
    """What Statements cannot see of calls that have not finished; empty where it sees them."""
    if not sampled:
        return NOT_SAMPLED
    if reports_begin or not running:
        return ""
    return NO_BEGIN.format(running=f"{running} sessions were running" if running != 1 else "One session was running")
