"""OpenMetrics 1.0 text, line by line: what is a figure is taken, everything else is named with its reason.

Source: the OpenMetrics 1.0 specification, "Text Format" and "Data Model".
"""

from __future__ import annotations

import re
from collections.abc import Iterable
from dataclasses import dataclass
from typing import Literal

from hardy_gauge.capture.imports.rejected_rows import RejectedRows
from hardy_gauge.core.activity.counters import growth

_SAMPLE = re.compile(r"([a-zA-Z_:][a-zA-Z0-9_:]*)(\{.*?\})? (\S+)(?: (\S+))?(?: # .*)?$")
_LABEL = re.compile(r'([a-zA-Z_][a-zA-Z0-9_]*)="((?:[^"\\]|\\.)*)"(?:,|$)')
_NAME = re.compile(r"[a-zA-Z_:][a-zA-Z0-9_:]*$")
_NUMBER = re.compile(r"[+-]?(?:\d+(?:\.\d*)?|\.\d+)(?:[eE][+-]?\d+)?$")
_ESCAPED = {"\\n": "\n", '\\"': '"', "\\\\": "\\"}
TYPES = frozenset({"counter", "gauge", "histogram", "gaugehistogram", "stateset", "info", "summary", "unknown"})
Way = Literal["counted", "read"]


@dataclass(frozen=True)
class Sample:
    """One figure of one moment; ``at_us`` None when the line has no time. ``counted`` figures count up."""

    line: int
    name: str
    labels: tuple[tuple[str, str], ...]
    way: Way
    value: float
    at_us: int | None

    @property
    def series(self) -> str:
        """The name with its labels, as the figure is called here."""
        said = " ".join(f"{key}={value}" for key, value in sorted(self.labels))
        return f"{self.name} {said}".strip()


def read_openmetrics(text: str, rejected: RejectedRows) -> list[Sample]:
    """Every figure of a text; ``# EOF`` ends it."""
    samples: list[Sample] = []
    kinds: dict[str, str] = {}
    lines = text.split("\n")
    for number, line in enumerate(lines, 1):
        line = line.removesuffix("\r")
        if line == "# EOF":
            rest = [i for i, after in enumerate(lines[number:], number + 1) if after.strip()]
            rejected.add_rows((i, "after the end of the text") for i in rest)
            return samples
        if line.startswith("#"):
            _about(line, number, kinds, rejected)
        elif line.strip():
            read = _sample(line, number, kinds)
            if isinstance(read, Sample):
                samples.append(read)
            else:
                rejected.add(number, read)
    rejected.add(len(lines), "the text does not end with # EOF; it may be cut off")
    return samples


def _about(line: str, number: int, kinds: dict[str, str], rejected: RejectedRows) -> None:
    parts = line.split(" ", 3)
    if len(parts) < 3 or parts[1] not in ("TYPE", "HELP", "UNIT") or not _NAME.match(parts[2]):
        rejected.add(number, "neither a figure nor # TYPE, # HELP or # UNIT")
    elif parts[1] == "TYPE":
        kind = parts[3].strip() if len(parts) == 4 else ""
        if kind in TYPES:
            kinds[parts[2]] = kind
        else:
            rejected.add(number, f"not a type: {kind[:40]}")


def _sample(line: str, number: int, kinds: dict[str, str]) -> Sample | str:
    """The figure on a line, or why it is not taken."""
    match = _split(line)
    if match is None:
        return "not a figure: a name, labels in braces, a value and a time were expected"
    name, inside, number_text, time_text = match
    labels = _labels(inside)
    if labels is None:
        return f'labels cannot be read: {inside[:60]}; key="value" was expected'
    if not _NUMBER.match(number_text):
        return f"no number: {number_text[:40]}"
    if time_text is not None and (not _NUMBER.match(time_text) or abs(float(time_text)) > 1e11):
        return f"not a time in seconds: {time_text[:40]}"
    way = way_of(name, kinds)
    if way not in ("counted", "read"):
        return way
    at_us = None if time_text is None else round(float(time_text) * 1e6)
    return Sample(number, name, labels, "counted" if way == "counted" else "read", float(number_text), at_us)


def _split(line: str) -> tuple[str, str, str, str | None] | None:
    """Name, inside of the braces, value, time. Braces and spaces within quotes belong to a label's value."""
    name, brace, rest = line.partition("{")
    inside = ""
    if brace and _NAME.match(name):
        end = _closing(rest)
        if end is None or not rest[end + 1 :].startswith(" "):
            return None
        inside, line = rest[:end], name + rest[end + 1 :]
    match = _SAMPLE.match(line)
    return None if match is None else (match[1], inside, match[3], match[4])


def _closing(text: str) -> int | None:
    quoted = escaped = False
    for place, character in enumerate(text):
        if escaped:
            escaped = False
        elif character == "\\":
            escaped = True
        elif character == '"':
            quoted = not quoted
        elif character == "}" and not quoted:
            return place
    return None


def _labels(inside: str) -> tuple[tuple[str, str], ...] | None:
    found: list[tuple[str, str]] = []
    place = 0
    while place < len(inside):
        match = _LABEL.match(inside, place)
        if match is None:
            return None
        found.append((match[1], re.sub(r'\\[n"\\]', lambda m: _ESCAPED[m[0]], match[2])))
        place = match.end()
    return None if len({key for key, _ in found}) != len(found) else tuple(found)


def way_of(name: str, kinds: dict[str, str]) -> str:
    """Whether a sample is counted or read, by the type of its family; otherwise why it is not taken."""
    for suffix in ("_total", "_created", "_bucket", "_sum", "_count", "_gsum", "_gcount", "_info", ""):
        if suffix and not name.endswith(suffix):
            continue
        kind = kinds.get(name.removesuffix(suffix) if suffix else name)
        if kind is None:
            continue
        if suffix == "_created" and kind in ("counter", "histogram", "summary"):
            return "the moment of creation is no figure"
        if suffix == "_bucket" and kind in ("histogram", "gaugehistogram"):
            return "a bucket of a histogram; its sum and count are taken"
        if suffix == "_info" and kind == "info":
            return "information without a figure"
        if (suffix, kind) in {
            ("_total", "counter"),
            ("_sum", "histogram"),
            ("_count", "histogram"),
            ("_sum", "summary"),
            ("_count", "summary"),
        }:
            return "counted"
        if suffix in ("_gsum", "_gcount") and kind == "gaugehistogram":
            return "read"
        if not suffix:
            return (
                "read"
                if kind in ("gauge", "unknown", "stateset", "summary")
                else f"no sample of a {kind} is called so: {name}"
            )
    return "read"


@dataclass(frozen=True)
class Figure:
    """A value of one minute: as read, or per second since the reading before."""

    line: int
    at_us: int
    name: str
    value: float


def figures_of(
    samples: Iterable[Sample], now_us: int, rejected: RejectedRows, before: dict[str, tuple[int, float]] | None = None
) -> list[Figure]:
    """What was read as it is; what counts up as its rate since the sample before. ``now_us`` where no time is given;
    ``before`` are the last samples of earlier texts, and is kept up to date.
    """
    before = {} if before is None else before
    found: list[Figure] = []
    for sample in sorted(samples, key=lambda s: now_us if s.at_us is None else s.at_us):
        at = now_us if sample.at_us is None else sample.at_us
        if sample.way == "read":
            found.append(Figure(sample.line, at, sample.series, sample.value))
            continue
        grown = growth(before.get(sample.series), at, sample.value)
        before[sample.series] = (at, sample.value)
        if isinstance(grown, str):
            rejected.add(sample.line, grown)
        else:
            since, done = grown
            found.append(Figure(sample.line, at, rate_name(sample.series), done / (at - since) * 1e6))
    return found


def rate_name(series: str) -> str:
    name, space, labels = series.partition(" ")
    return f"{name.removesuffix('_total')} per s{space}{labels}"
