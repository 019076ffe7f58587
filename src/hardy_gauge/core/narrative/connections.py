"""What the screens about connected servers say."""

from __future__ import annotations

from collections.abc import Sequence

NONE = "No server is connected yet. Give the address of one; the rest of its cluster is found from there."


def connections_sentence(states: Sequence[tuple[str, str]]) -> str:
    """``states`` are name and capture state of each server that is not retired."""
    if not states:
        return NONE
    well = sum(state == "recording" for _, state in states)
    failing = [server for server, state in states if state == "failing"]
    text = f"{well} of {len(states)} servers are being recorded"
    return f"{text}; {failing[0]} does not answer." if failing else f"{text}."


def tested_words(server: str, engine: str, role: str, reports: int, lacking: int) -> str:
    """What came of trying an address that answers."""
    words = f"{server} answers: {engine}, {role}"
    return (
        f"{words}; {lacking} of {reports} things are not reported." if lacking else f"{words}; everything is reported."
    )


THE_ACCOUNT = "the_account"


def switch_on_script(remedies: Sequence[str], account: str) -> str:
    """The commands of several remedies as one script, each line once, for an account where it is known."""
    lines = dict.fromkeys(line.rstrip() for remedy in remedies for line in remedy.splitlines() if line.strip())
    script = "\n".join(lines)
    return script.replace(THE_ACCOUNT, account) if account else script
