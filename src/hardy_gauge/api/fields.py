"""Parts that requests share."""

from __future__ import annotations

from typing import Annotated

from pydantic import BaseModel, ConfigDict, Field, SecretStr

Password = Annotated[SecretStr, Field(max_length=1000)]
PersonName = Annotated[str, Field(min_length=1, max_length=80, pattern=r"^[^\s/]+$")]

Code = Annotated[str, Field(max_length=40, description="of the second factor, or a recovery code")]


class Strict(BaseModel):
    """Refuses keys that it does not know."""

    model_config = ConfigDict(extra="forbid")
