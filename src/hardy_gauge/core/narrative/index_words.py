"""What is said of the set of indexes that a workload wants."""

from __future__ import annotations

from collections.abc import Sequence

from hardy_gauge.core.figures.formatting import counted, duration, listed, share, size

ASK_FIRST = "ask first: a report at the end of the month or the year may read it, or another member of its cluster"


def _indexes(number: int) -> str:
    return "one index" if number == 1 else f"{number:,} indexes"


def basis_sentence(server: str, statements: int, tables: int) -> str:
    """Before anything is asked."""
    if not statements:
        return f"No statement of {server} was recorded in the last week, so which indexes it wants is not known."
    return (
        f"{counted(statements, 'statement')} on {counted(tables, 'table')} of {server} were recorded in the last week; "
        "which indexes they want together is asked of its twin, and nothing is built."
    )


def unknown_sentence(server: str, why: str) -> str:
    """Where nothing can be asked."""
    return f"Which indexes {server} wants is not known: {why}."


def index_set_sentence(server: str, statements: int, sizes: Sequence[float], drops: int, saved_share: float) -> str:
    """How much the chosen indexes would win, and how many could go."""
    if not statements:
        return basis_sentence(server, 0, 0)
    gone = f"; {_indexes(drops)} could go" if drops else ""
    if not sizes:
        return f"No index within the budget would win {server} anything worth it{gone}."
    many = _indexes(len(sizes))
    return (
        f"{many[0].upper()}{many[1:]} of {size(sum(sizes))} would win {server} {share(saved_share)} of its statements' time, "
        f"by the planner's costs{gone}."
    )


def belief_words(statements: int, before: float, after: float) -> str:
    """What the figures of a set stand on."""
    return (
        f"{counted(statements, 'statement')} of the last week; by the planner's costs {before:.2f} active sessions would become "
        f"{after:.2f}. Try it on a copy before it is built."
    )


def pays_words(indexes: int, each_s: float, at_most: bool) -> str:
    """Why a statement that writes takes longer."""
    entries = "one more entry" if indexes == 1 else f"{indexes} more entries"
    return f"writes {'up to ' if at_most else ''}{entries} a row, about {duration(each_s)} a call"


def needless_words(read: bool, counted_s: float) -> str:
    """Why an index may go."""
    if read:
        return f"with the proposed indexes no statement of the workload misses it; {ASK_FIRST}"
    return f"no statement of the workload reads it, nor did any in the {duration(counted_s)} since it is counted; {ASK_FIRST}"


def young_words(index: str, counted_s: float | None) -> str:
    """Why it is not known whether an index may go."""
    known = (
        "its lookups are not counted"
        if counted_s is None
        else f"its lookups are counted for {duration(counted_s)} only"
    )
    return f"whether {index} could go: no statement of the workload reads it, but {known}"


def judged_words(
    judged: str,
    members: int,
    counted_s: float | None,
    per_day: float | None,
    other: str,
    size_bytes: float,
    needed: float,
) -> str:
    """Why an index is told of, in a sentence without its name."""
    counted_for = f"in the {duration(counted_s)} that it is counted" if counted_s is not None else "since it is counted"
    where = "" if members < 2 else f" on any of {members} members"
    match judged:
        case "never read":
            return (
                f"not read once{where} {counted_for}; what is read at the month's or year's end may not have come yet"
            )
        case "not read so far":
            return f"not read{where} {counted_for}, which is little to go by"
        case "rarely read":
            return f"read {per_day or 0:.1f} times a day, less often than rows of its table are written"
        case "duplicate":
            return f"{other} is over the same columns"
        case "contained in another":
            return f"{other} begins with its columns, so it serves what this one serves"
        case "bloated":
            return f"takes {size(size_bytes)}, and its rows need {size(needed)}"
        case "larger than the cache":
            return "larger than all of the server's cache, so reading it pushes out everything else"
        case "not valid":
            return "no query may use it, and writes keep it up all the same; its building failed or goes on"
        case _:
            return f"refers to {other}: deleting or changing a row there reads all of this table"


def where_words(cluster: str, members: int, server: str, columns: Sequence[str]) -> str:
    """Over which columns and on which servers; ``members`` 0 where the index is missing."""
    over = f"Over {', '.join(columns)}"
    if not members:
        return f"{over} of {cluster}, such as {server}."
    return f"{over}, on {server}." if members == 1 else f"{over}, on {members} members of {cluster}, such as {server}."


def unknown_words(what: str, servers: Sequence[str]) -> str:
    return f"{what}, of {listed(servers, 5)}"


def across_sentence(indexes: int, needless: int, needless_bytes: float, missing: int, rest: int, uncounted: int) -> str:
    """How many are told of, how much room those that give nothing take, and of how many it is not known whether they are read."""
    if not indexes:
        return "No index is reported."
    told, one = f"Of {_indexes(indexes)}", needless == 1
    parts = (
        [f"{needless} {'gives' if one else 'give'} nothing and {'takes' if one else 'take'} {size(needless_bytes)}"]
        if needless
        else []
    )
    parts += [f"{rest} {'is' if rest == 1 else 'are'} worth a look"] if rest else []
    parts += [f"{counted(missing, 'foreign key')} {'has' if missing == 1 else 'have'} none"] if missing else []
    parts += [f"whether {uncounted} {'is' if uncounted == 1 else 'are'} read is not known"] if uncounted else []
    if not parts:
        return f"{told} all are read, and none says what another one says."
    return f"{told}, {', '.join(parts)}."
