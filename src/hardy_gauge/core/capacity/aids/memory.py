"""The memory budget of a server against its host."""

from __future__ import annotations

from hardy_gauge.core.capacity.aid import Lacking, SizingAid
from hardy_gauge.core.capacity.known import Known
from hardy_gauge.core.capacity.memory_budget import OPERATIONS, SYSTEM_BYTES, MemoryBudget
from hardy_gauge.core.diagnosis.fact import Fact
from hardy_gauge.core.figures.formatting import figure, size

TITLE = "Memory"
SESSION_BYTES = 8 * 2**20  # of a session where no setting says it, about (common practice)
FITS = 0.85  # of memory may be promised


def memory_aid(known: Known) -> SizingAid | Lacking:
    """What may be taken at the busiest, against the host; how much a sort may have."""
    cache, operation = known.size("buffer_cache_bytes"), known.size("sort_memory_bytes")
    open_, running = known.figures.get("sessions_open"), known.figures.get("active_sessions")
    if known.memory_bytes is None or cache is None or operation is None or running is None:
        return Lacking(
            TITLE, "the memory of its host, its buffer cache, the memory of a sort and its sessions are needed"
        )
    limit = known.number("max_sessions")
    sessions = open_.most if open_ is not None else limit if limit is not None else running.most
    session = known.size("session_memory_bytes")
    each = SESSION_BYTES if session is None else session
    budget = MemoryBudget(known.memory_bytes, cache, each, operation)
    taken, most = budget.taken(sessions, running.high), budget.most_running(sessions)
    facts = [
        Fact("memory of the host", known.memory_bytes, "B", "host"),
        Fact("buffer cache", cache, "B", "settings"),
        Fact("sessions open at most", sessions, "", "figures"),
        Fact("memory of a session", each, "B", "settings" if session is not None else "common practice, about"),
        Fact("at work in 95 minutes of 100", running.high, "", "figures"),
        Fact("memory of a sort", operation, "B", "settings"),
        Fact("may be taken then", taken, "B", "the formula", known.memory_bytes),
    ]  # fmt: skip
    cautions = [
        f"A statement may hold memory for more than {OPERATIONS} sorts and joins at once, and most hold it for none: this is what may be taken, not what is."
    ]
    start = f"With {figure(sessions, '')} sessions open and {figure(running.high, '')} at work, {size(taken)} of {size(known.memory_bytes)} may be taken"
    remedy = None
    if taken > known.memory_bytes:
        end = ": more than there is. The host swaps when many sort at once."
        fits = MemoryBudget(FITS * known.memory_bytes, cache, each, operation).largest_operation(sessions, running.high)
        if fits > 0:
            remedy = known.change(
                "sort_memory_bytes", fits, "Let a sort have less memory", "Sorts that do not fit are written to temporary files: larger for the service that needs it, not for all.",
            )  # fmt: skip
    else:
        end = f". The host would swap with {int(most):,} statements that sort at once."
    return SizingAid(
        "memory", TITLE, start + end, facts,
        f"{size(SYSTEM_BYTES)} of the system + cache + sessions × each + at work × {OPERATIONS} × memory of a sort",
        "common practice", "setting/sort_memory_bytes", cautions, remedy,
    )  # fmt: skip
