"""Sizes as people write them, and what every part of a scenario file has in common."""

from __future__ import annotations

import re
from typing import Annotated

from pydantic import BaseModel, BeforeValidator, ConfigDict, Field

PAGE_BYTES = 8192
_DECIMAL = {"B": 1, "kB": 10**3, "MB": 10**6, "GB": 10**9, "TB": 10**12}
_BINARY = {"KiB": 2**10, "MiB": 2**20, "GiB": 2**30, "TiB": 2**40}
UNITS = _DECIMAL | _BINARY


def parse_bytes(value: object) -> object:
    """Bytes from "1 GiB" or a plain number; ValueError names the units that are known."""
    if isinstance(value, str):
        match = re.fullmatch(r"\s*([\d.]+)\s*([A-Za-z]+)\s*", value)
        if not match or match[2] not in UNITS:
            raise ValueError(f"a size such as '8 GiB' was expected, not '{value}'; units: {', '.join(UNITS)}")
        return int(float(match[1]) * UNITS[match[2]])
    return value


Bytes = Annotated[
    int,
    BeforeValidator(parse_bytes, json_schema_input_type=int | str),
    Field(gt=0, json_schema_extra={"unit": "bytes"}),
]
BytesOrNone = Annotated[
    int,
    BeforeValidator(parse_bytes, json_schema_input_type=int | str),
    Field(ge=0, json_schema_extra={"unit": "bytes"}),
]
Settings = dict[str, float | int | str | bool]


class Part(BaseModel):
    """A part of a scenario file; a key it does not know is a mistake."""

    model_config = ConfigDict(extra="forbid", allow_inf_nan=False)


class Misplaced(ValueError):
    """A mistake that shows only between parts of a file; ``loc`` is where it is, from the part that found it."""

    def __init__(self, message: str, *loc: int | str) -> None:
        super().__init__(message)
        self.loc = loc
