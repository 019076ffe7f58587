"""What people and programs hand in as JSON or YAML: no unknown keys, and numbers and booleans are not taken for each other."""

from __future__ import annotations

from typing import Any, get_args

from pydantic import BaseModel, ConfigDict, model_validator


class InputDocument(BaseModel):
    """The base of everything that is handed in."""

    model_config = ConfigDict(extra="forbid")

    @model_validator(mode="before")
    @classmethod
    def _plain(cls, given: Any) -> Any:
        if not isinstance(given, dict):
            return given
        for name, field in cls.model_fields.items():
            key = field.alias or name
            if key not in given or given[key] is None:
                continue
            kinds, value = _kinds(field.annotation), given[key]
            if bool in kinds and str not in kinds and not isinstance(value, bool):
                raise ValueError(f"{key}: true or false was expected, not {str(value)[:40]!r}")
            if isinstance(value, bool) and not kinds & {bool, Any}:
                raise ValueError(f"{key}: {'true' if value else 'false'} was not expected here")
        return given


def _kinds(annotation: Any) -> set[Any]:
    found = {annotation}
    for inner in get_args(annotation):
        found |= _kinds(inner) if not isinstance(inner, str | bool | int | float) else {type(inner)}
    return found
