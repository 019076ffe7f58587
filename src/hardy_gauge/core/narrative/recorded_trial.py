"""From where the statements and values of a trial come that was drawn up from a recording, in words."""

from __future__ import annotations

from hardy_gauge.core.figures.formatting import counted


def values_words(statement: int, value: int, column: str | None) -> str:
    """``column`` is None where nothing is known of the value but its type."""
    if column is None:
        return f"Statement {statement}: values for ${value} are usual ones of their type, for it is compared with no known column: put in others."
    return f"Statement {statement}: values for ${value} are those of {column} by the statistics of the server at the start, and are kept nowhere."


def kept_values_words(statement: int, executions: int) -> str:
    """Values of executions that were recorded with theirs."""
    return f"Statement {statement}: values are those of {counted(executions, 'execution')} that were recorded with them, drawn together; they are looked up at the start, and kept nowhere else."


def left_out_words(text: str) -> str:
    """A statement that the server does not take by itself."""
    return f"Left out, since the server does not take it by itself: {' '.join(text.split())[:80]}"


def nothing_words(writes: int, empty: bool) -> list[str]:
    """Statements that write, and that nothing was called."""
    found = [f"{counted(writes, 'statement')} that write are left out; what they write would stay."] if writes else []
    return [
        *found,
        *(["No statement that reads was called in the focus; write what is to be played."] if empty else []),
    ]


def not_asked_words(server: str, why: str) -> str:
    """The server could not be asked for values."""
    return f"{server} could not be asked with its own account, so write what is to be played, and name an account that it lets in: {why}"
