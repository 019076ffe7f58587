"""A finding in one line, and what a diagnosis could not look at."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from typing import Any

from hardy_gauge.core.diagnosis.finding import Finding
from hardy_gauge.core.figures.formatting import clock, day_clock, duration, share
from hardy_gauge.core.time.span import Span


def finding_words(finding: Finding, server: str, since_us: int, ended_us: int | None, open_end: bool = False) -> str:
    """ "80% of the time of desk-a (78% to 81%), confidence 95%, since 26 Nov 12:05". What costs no time yet names the server.

    ``open_end``: it is not known whether it was over at ``ended_us``, for looking ended there.
    """
    part = server
    if finding.share:
        over = f" over {duration(finding.looked_s)}" if finding.looked_s else ""
        part = f"{share(finding.share)} of the time of {server}{over} ({share(finding.share_low)} to {share(finding.share_high)})"
    ended = "seen until" if open_end else "over since"
    end = "" if ended_us is None else f", {ended} {day_clock(ended_us)}"
    return f"{part}, confidence {share(finding.confidence)}, since {day_clock(since_us)}{end}"


def findings_sentence(asking: Sequence[tuple[str, Finding]], servers: int, diagnosed: int) -> str:
    """The answer to "what is wrong, and where first?"; ``asking`` are roots that ask for something, by importance, with their servers."""
    if not diagnosed:
        return "No server was diagnosed yet; findings come within some minutes."
    rest = f"; {servers - diagnosed} of {servers} servers were not diagnosed yet" if diagnosed < servers else ""
    if not asking:
        return f"Nothing asks for anything on {diagnosed} {'server' if diagnosed == 1 else 'servers'}{rest}."
    urgent = sum(one.grade == "act" for _, one in asking)
    on = len({server for server, _ in asking})
    count = f"{len(asking)} {'finding asks' if len(asking) == 1 else 'findings ask'} for something on {on} {'server' if on == 1 else 'servers'}"
    now = f", {urgent} of them now" if urgent and urgent < len(asking) else ", now" if urgent else ""
    server, first = asking[0]
    return f"{count}{now}{rest}. First: {first.title} ({server})."


def past_sentence(stood: Sequence[tuple[str, Finding]], focus: Span, servers: int) -> str:
    """What stood in a time that is over; ``stood`` are roots that asked for something, by importance, with their servers."""
    begins, ends = day_clock(focus.since_us), day_clock(focus.until_us)
    same_day = begins.rsplit(" ", 1)[0] == ends.rsplit(" ", 1)[0]
    time = f"From {begins} to {clock(focus.until_us) if same_day else ends},"
    if not stood:
        return f"{time} no finding that asked for something is known on {servers} {'server' if servers == 1 else 'servers'}."
    on = len({server for server, _ in stood})
    count = f"{len(stood)} {'finding' if len(stood) == 1 else 'findings'} asked for something on {on} {'server' if on == 1 else 'servers'}"
    server, first = stood[0]
    return f"{time} {count}. First: {first.title} ({server})."


def life_words(
    before_us: int | None,
    noted_by: str,
    noted_us: int | None,
    aside_by: str,
    aside_us: int | None,
    reason: str,
    aside: bool,
) -> str:
    """What became of it before, and what people said of it."""
    said = []
    if before_us is not None:
        said.append(f"it was over at {day_clock(before_us)} and came back")
    if noted_us is not None:
        said.append(f"noted by {noted_by or 'somebody'} on {day_clock(noted_us)}")
    if aside_us is not None:
        grown = "" if aside else "; it has grown by half since"
        said.append(f"set aside by {aside_by or 'somebody'} on {day_clock(aside_us)}: {reason}{grown}")
    return "; ".join(said)


def nothing_words(unknown: Sequence[str]) -> str:
    """What is said where there is no finding: that nothing was found only of what was looked at."""
    if unknown:
        return "Of what could be looked at, nothing was found wrong in this window."
    return "No rule found anything wrong in this window."


def undiagnosed_words(first_us: int | None, whole: int, begun: int, servers: int, past: bool) -> str:
    """Empty where all of the focus was diagnosed on all servers. ``first_us`` is when diagnosing began, ``whole`` on how many servers
    all of the focus was diagnosed, ``begun`` on how many some of it; ``past``: the focus ended a while ago.
    """
    if whole >= servers > 0:
        return ""
    if first_us is None and not begun and not past:
        return "Not diagnosed yet; findings come within some minutes."
    since = "" if first_us is None else f"; findings are looked for since {day_clock(first_us)}"
    if not begun:
        return f"This time was not diagnosed{since}."
    return f"All of this time was diagnosed on {whole} of {servers} {'server' if servers == 1 else 'servers'}{since}."


def past_words(state: str, done: int, looks: int, found: int, servers: int, failed: int) -> str:
    """How far the diagnosis of a span of the past has come; ``failed`` servers could not be diagnosed."""
    on = f"{servers} {'server' if servers == 1 else 'servers'}"
    new = f"{found or 'no'} new {'finding' if found == 1 else 'findings'}"
    if failed:
        new += f"; {failed} of them could not be diagnosed"
    if state == "running":
        return f"{done} of {looks} hours looked at on {on}, {new} so far"
    if state == "done":
        return f"{done} hours looked at on {on}, {new}"
    return f"{state} after {done} of {looks} hours on {on}, {new} kept"


def not_looked_words(causes: Sequence[str], why: str) -> str:
    """Which causes could not be looked for, and why."""
    named = ", ".join(map(cause_words, causes))
    return f"Not looked for: {named}, because {why}."


def cause_words(cause: str) -> str:
    """A cause as people write it."""
    return cause.replace("_", " ")


def report_lines(document: Mapping[str, Any]) -> Iterator[str]:
    """A diagnosis as text: each server's sentence, its findings, what follows from them set in, and what is unknown."""
    for server in document["servers"].values():
        yield server["sentence"]
        for one in server["findings"]:
            indent = "  " if one["root"] else "      follows: "
            yield f"{indent}{one['grade']:<4}  {cause_words(one['cause'])}: {one['title']} (since {one['since']})"
        for why in sorted({one["why"] for one in server["unknown"]}):
            yield "  " + not_looked_words([one["cause"] for one in server["unknown"] if one["why"] == why], why)
        yield ""
