"""Durations, sizes, rates and shares as people write them in files: "50 ms", "64 MiB", "900 /s", "5%"."""

from __future__ import annotations

import re
from typing import Annotated

from pydantic import BeforeValidator

_DURATION = {"us": 1e-6, "µs": 1e-6, "ms": 1e-3, "s": 1.0, "min": 60.0, "h": 3600.0}
_SIZE = {"B": 1, "kB": 1e3, "MB": 1e6, "GB": 1e9, "KiB": 2**10, "MiB": 2**20, "GiB": 2**30}
_WRITTEN = re.compile(r"\s*(-?[\d_.]+(?:e[+-]?\d+)?)\s*([^\d\s]*(?:/s)?)\s*", re.IGNORECASE)


def _read(value: object, units: dict[str, float], what: str, example: str) -> object:
    if not isinstance(value, str):
        return value
    match = _WRITTEN.fullmatch(value)
    if match is None or match[2] not in units:
        raise ValueError(f"{what} such as '{example}' was expected, not '{value}'; units: {', '.join(units)}")
    return float(match[1].replace("_", "")) * units[match[2]]


def duration(value: object) -> object:
    """Seconds from "50 ms"; plain numbers are refused, because 50 could be either."""
    if isinstance(value, int | float) and not isinstance(value, bool):
        raise ValueError(
            f"a duration with its unit such as '50 ms' was expected, not {value}; units: us, ms, s, min, h"
        )
    return _read(value, _DURATION, "a duration", "50 ms")


def byte_size(value: object) -> object:
    """Bytes from a number or a text such as "64 MiB"; ValueError otherwise."""
    return _read(value, _SIZE, "a size", "64 MiB")


def rate(value: object) -> object:
    """Times a second from a number or a text such as "900 /s"; ValueError otherwise."""
    return _read(value, {"/s": 1.0}, "a rate", "900 /s")


def share(value: object) -> object:
    """A share from 0 to 1 from a number or a text such as "5%"; ValueError otherwise."""
    return _read(value, {"%": 0.01}, "a share", "5%")


Seconds = Annotated[float, BeforeValidator(duration, json_schema_input_type=str)]
PerSecond = Annotated[float, BeforeValidator(rate, json_schema_input_type=float | str)]
Share = Annotated[float, BeforeValidator(share, json_schema_input_type=float | str)]


def written_duration(seconds: float) -> str:
    """A duration as it is written in a file."""
    for unit, size in (("h", 3600), ("min", 60)):
        if seconds >= size and seconds % size == 0:
            return f"{seconds / size:g} {unit}"
    return f"{seconds * 1e3:g} ms" if seconds < 1 else f"{seconds:g} s"
