"""What the parts of Setup and Reports say first."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import UTC, datetime

from hardy_gauge.core.figures.units import written_duration


def _counted(count: int, one: str) -> str:
    return f"{count} {one}{'' if count == 1 else 's'}"


def accounts_sentence(servers: Sequence[Sequence[str]]) -> str:
    """How many accounts are in the keyring, and how many of them servers use; ``servers`` of each."""
    count, used = len(servers), sum(bool(one) for one in servers)
    if not count:
        return "The keyring is empty. Add the accounts that servers ask for; a secret is never shown again."
    held = f"{_counted(count, 'account')} in the keyring, {used} in use"
    return f"{held}; changing a secret here changes it for every server that uses it."


def people_sentence(barred: Sequence[bool]) -> str:
    """How many people may sign in; ``barred`` is whether each may not."""
    count = sum(not one for one in barred)
    who = "One person" if count == 1 else f"{count} people"
    return f"{who} may sign in; viewers look, engineers try and change, administrators decide who may."


def you_sentence(name: str, role: str, parts: Sequence[tuple[str, str, str]]) -> str:
    """Who somebody is and what they may do; ``parts`` are roles with the kind and the name of what they are for."""
    roles = [f"{part} of {kind} {group}" for part, kind, group in parts]
    if role != "none":
        roles = [f"{role} of the whole fleet" if roles else role, *roles]
    return f"You are {name}, {' and '.join(roles) or 'without any role'}."


def rules_sentence(count: int) -> str:
    """How many capture rules there are, and what holds without one."""
    if not count:
        return "No rule: everything is recorded of every server, sessions each second, executions from 100 ms."
    first = "the first that matches a server applies to it, and where none matches, everything is recorded"
    return f"{_counted(count, 'rule')}; {first}."


def snapshots_sentence(count: int) -> str:
    """How many snapshots are stored, and what they are for."""
    if not count:
        return "A snapshot keeps all that a server counts at one moment; the difference of two is exactly what was done between."
    return f"{_counted(count, 'snapshot')} stored; choose two of one server to see what was done between them."


def imports_sentence(states: Sequence[str]) -> str:
    """How many files were imported and not undone since."""
    count = sum(state == "done" for state in states)
    if not count:
        return "Import figures of servers that cannot be connected. Nothing is stored before you have seen how the file is read."
    return f"{_counted(count, 'file')} {'was' if count == 1 else 'were'} imported; each can be undone as a whole."


def bundles_sentence(count: int) -> str:
    """How many bundles are open."""
    if not count:
        return "A bundle carries recorded data from one place to another, without addresses and accounts."
    return f"{_counted(count, 'bundle')} {'is' if count == 1 else 'are'} open here beside the fleet."


def reports_sentence(count: int) -> str:
    """How many reports are stored."""
    if not count:
        return "No report yet. Save one from a server, and it stays as it was."
    return f"{_counted(count, 'report')} stored; each stays as it was when it was saved."


def rule_words(
    mode: str, sample_s: float | None, one_in: int, threshold_s: float | None, weighty_from_s: float, literals_kept: bool,
    until: datetime | None,
) -> str:  # fmt: skip
    """What a capture rule records; None is off."""
    if mode == "reading":
        return "nothing new"
    what = f"statements from {written_duration(weighty_from_s)} a call" if mode == "weighty" else "all statements"
    thinned = f", one in {one_in}" if one_in > 1 else ""
    sessions = f"sessions each {written_duration(sample_s)}{thinned}" if sample_s else "no sessions"
    executions = "no executions" if threshold_s is None else f"executions from {written_duration(threshold_s)}"
    values = " with their values" if literals_kept else ""
    end = f", until {until.astimezone(UTC):%Y-%m-%d %H:%M} UTC" if until else ""
    return f"{what}, {sessions}, {executions}{values}{end}"


def figures_sentence(count: int, silent: int, addresses: int) -> str:
    """How many figures of the user's own are recorded, which of them give nothing, and what stands beside servers."""
    beside = (
        f"; {addresses} {'address' if addresses == 1 else 'addresses'} of OpenMetrics text {'is' if addresses == 1 else 'are'} read besides"
        if addresses
        else ""
    )
    if not count:
        return f"No figure of your own is recorded yet{beside}."
    if count == 1:
        quiet = ", and gave no value in the last ten minutes" if silent else ""
        return f"1 figure of your own is recorded each minute{quiet}{beside}."
    quiet = f"; {silent} of them gave no value in the last ten minutes" if silent else ""
    return f"{count} figures of your own are recorded each minute{quiet}{beside}."
