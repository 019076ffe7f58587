"""What the parts of Setup and Reports say first."""

from __future__ import annotations

from collections.abc import Sequence


def _counted(count: int, one: str) -> str:
    return f"{count} {one}{'' if count == 1 else 's'}"


def accounts_sentence(count: int, used: int) -> str:
    """How many accounts are in the keyring, and how many of them servers use."""
    if not count:
        return "The keyring is empty. Add the accounts that servers ask for; a secret is never shown again."
    held = f"{_counted(count, 'account')} in the keyring, {used} in use"
    return f"{held}; changing a secret here changes it for every server that uses it."


def people_sentence(count: int) -> str:
    """How many people may sign in."""
    who = "One person" if count == 1 else f"{count} people"
    return f"{who} may sign in; viewers look, engineers try and change, administrators decide who may."


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
