"""What came out when two texts were run beside each other."""

from __future__ import annotations

from collections.abc import Sequence

from hardy_gauge.core.figures.formatting import counted, duration
from hardy_gauge.core.proof.results import MadeTable
from hardy_gauge.core.trials.compare import Ratio

TRIFLE = 0.05
APART = "Columns were drawn apart from each other, so what hangs together in the real rows does not here."


def basis_words(tables: Sequence[MadeTable]) -> str:
    """On what a text was run."""
    made = "; ".join(f"{one.name} {one.rows:,} of {one.rows_there:,.0f}" for one in tables) or "none"
    return f"Rows made from the statistics: {made}. {APART}"


def columns_words(old: Sequence[str], new: Sequence[str]) -> str:
    return f"the columns are not the same: {', '.join(old) or 'none'}; then {', '.join(new) or 'none'}"


def index_basis_words(tables: Sequence[MadeTable]) -> str:
    """On what a workload was called."""
    return f"{basis_words(tables)} Times are those of this machine; promised is the planner's cost with the indexes over that without, on the same rows."


def proof_sentence(
    same: str, determined: bool, calls: int, rows: int, empty: int, differing: int, ratio: Ratio | None, old_s: float, new_s: float
) -> str:  # fmt: skip
    """Both answers in one sentence: the rows, then the time."""
    of_all = f"{counted(calls, 'call')} with {counted(rows, 'row')} in all"
    if same == "same":
        told = f"Both texts gave the same rows in {of_all}"
        if empty == calls:
            told = f"Neither text gave a row in {counted(calls, 'call')}, which shows nothing of what they give"
    elif same == "another order":
        told = f"Both texts gave the same rows in {of_all}, but not in the same order"
    elif not determined:
        told = f"The rows differ in {differing} of {counted(calls, 'call')}; the old text does not determine its rows either"
    else:
        told = (
            f"The texts do not give the same rows: they differ in {differing} of {counted(calls, 'call')}"
            if differing
            else "The texts do not give the same columns"
        )
    return f"{told}. {time_words(ratio, old_s, new_s)}"


def time_words(ratio: Ratio | None, old_s: float, new_s: float) -> str:
    """How long each call took, and the ratio with its interval."""
    each = f"{duration(new_s)} a call instead of {duration(old_s)}"
    if ratio is None:
        return f"The new text takes {each}."
    interval = f"{ratio.low:.2g} to {ratio.high:.2g} times the time"
    if ratio.high < 1 - TRIFLE:
        return f"The new text is faster: {each}, {interval}."
    if ratio.low > 1 + TRIFLE:
        return f"The new text is slower: {each}, {interval}."
    return f"No difference in time is shown: {each}, {interval}."


KEPT = 0.7  # of what was promised, from which on a promise counts as kept (as the advice of index sets is checked)


def index_proof_sentence(promised: float | None, measured: float | None, ratio: Ratio | None, statements: int) -> str:
    """What the indexes brought on made rows, against what the planner promised there."""
    if promised is None or measured is None:
        return "No statement of the workload could be called on made rows."
    of = f"On made rows {counted(statements, 'statement')} of the workload"
    interval = f" ({1 - ratio.high:.0%} to {1 - ratio.low:.0%})" if ratio is not None else ""
    if ratio is not None and ratio.low <= 1 <= ratio.high:
        return f"{of} took as long with the indexes as without, as far as is shown; the planner promised {promised:.0%} less."
    if measured < 0:
        return f"{of} took {-measured:.0%} longer with the indexes; the planner promised {promised:.0%} less."
    kept = "which is what the planner promised" if measured >= KEPT * promised else "less than the planner promised"
    return f"{of} took {measured:.0%} less time{interval} with the indexes, {kept} ({promised:.0%})."
