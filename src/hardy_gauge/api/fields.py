"""Parts that requests share."""

from __future__ import annotations

from typing import Annotated

from pydantic import Field, SecretStr

from hardy_gauge.input_document import InputDocument

Password = Annotated[SecretStr, Field(max_length=1000)]
PersonName = Annotated[str, Field(min_length=1, max_length=80, pattern=r"^[^\s/]+$")]

Code = Annotated[str, Field(max_length=40, description="of the second factor, or a recovery code")]


class Strict(InputDocument):
    """Refuses keys that it does not know."""
