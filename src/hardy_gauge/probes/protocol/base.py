"""What every message of the protocol is: strict about its keys, without infinities."""

from __future__ import annotations

from pydantic import BaseModel, ConfigDict

PROTOCOL_VERSION = 1


class Message(BaseModel):
    """Every message refuses keys it does not know, so that a misspelt one is never silently dropped."""

    model_config = ConfigDict(extra="forbid", allow_inf_nan=False)
