"""What every message of the protocol is: strict about its keys, without infinities."""

from __future__ import annotations

from pydantic import BaseModel, ConfigDict

PROTOCOL_VERSION = 2
# the most rows, objects and names that an answer may have; more is no answer of a database server
MOST_ROWS = 100_000
MOST_OBJECTS = 20_000
MOST_NAMES = 5_000


class Message(BaseModel):
    """Every message refuses keys it does not know, so that a misspelt one is never silently dropped."""

    model_config = ConfigDict(extra="forbid", allow_inf_nan=False)
