"""What a scenario file may hold, written from the models: a JSON Schema, and tables for the documentation."""

from __future__ import annotations

import types
from typing import Annotated, Any, Literal, Union, get_args, get_origin

from pydantic import BaseModel
from pydantic.fields import FieldInfo
from pydantic_core import PydanticUndefined

from practice_fleet import settings
from practice_fleet.scenario.clusters import ClusterSpec, DatabaseSpec, PoolerSpec, ServerSpec
from practice_fleet.scenario.data import ColumnSpec, IndexDef, TableSpec
from practice_fleet.scenario.document import Scenario
from practice_fleet.scenario.hardware import HostSpec, VolumeSpec
from practice_fleet.scenario.transactions import StepSpec, TransactionSpec
from practice_fleet.scenario.work import RhythmSpec, StatementSpec
from practice_fleet.troubles import Trouble

PARTS: list[type[BaseModel]] = [
    Scenario, ClusterSpec, ServerSpec, PoolerSpec, HostSpec, VolumeSpec, DatabaseSpec, TableSpec, ColumnSpec, IndexDef,
    StatementSpec, TransactionSpec, StepSpec, RhythmSpec,
]  # fmt: skip
COMMON = ("cause", "servers", "start_minutes_ago", "end_minutes_ago")


def json_schema() -> dict[str, Any]:
    """The published JSON Schema of scenario files."""
    return {"$schema": "https://json-schema.org/draft/2020-12/schema"} | Scenario.model_json_schema()


def markdown() -> str:
    """Every key with what it means, its unit, default and range; every trouble; every setting."""
    blocks = ["## Keys of a scenario file", ""]
    for part in PARTS:
        blocks += [f"### {_name(part)}", "", _first_line(part), "", *_table(part, ()), ""]
    blocks += [
        "## Troubles", "",
        "Every trouble has `cause`, `servers`, `start_minutes_ago` and, if it ends, `end_minutes_ago`; these are its own keys.", "",
    ]  # fmt: skip
    for trouble in get_args(get_args(Trouble)[0]):
        cause = get_args(trouble.model_fields["cause"].annotation)[0]
        rows = _table(trouble, COMMON)
        blocks += [f"### `{cause}`", "", _first_line(trouble), "", *(rows if len(rows) > 2 else []), ""]
    blocks += [
        "## Settings of a practice server",
        "",
        "| name | unit | default | range | applies | meaning |",
        "|---|---|---|---|---|---|",
    ]
    for name, setting in settings.CATALOGUE.items():
        span = ", ".join(setting.choices or []) or f"{setting.minimum:g} to {setting.maximum:g}"
        blocks.append(
            f"| `{name}` | {setting.unit or ''} | {setting.default} | {span} | {setting.applies} | {setting.description} |"
        )
    return "\n".join(blocks).replace("\n\n\n", "\n\n") + "\n"


def _name(part: type[BaseModel]) -> str:
    return part.__name__.removesuffix("Spec").removesuffix("Def").lower()


def _first_line(part: type[BaseModel]) -> str:
    return (part.__doc__ or "").strip().split("\n\n")[0].replace("\n    ", " ")


def _table(part: type[BaseModel], without: tuple[str, ...]) -> list[str]:
    rows = ["| key | kind | default | range | meaning |", "|---|---|---|---|---|"]
    for name, field in part.model_fields.items():
        if name in without:
            continue
        rows.append(
            f"| `{name}` | {_kind(field.annotation, field)} | {_default(field)} | {_range(field)} | {field.description or ''} |"
        )
    return rows


def _kind(annotation: Any, field: FieldInfo | None = None) -> str:
    if (
        field is not None
        and isinstance(field.json_schema_extra, dict)
        and field.json_schema_extra.get("unit") == "bytes"
    ):
        return "size"
    origin, args = get_origin(annotation), get_args(annotation)
    if origin is Annotated:
        return "trouble" if "discriminator" in str(args[1:]) else _kind(args[0])
    if origin is Literal:
        return " or ".join(f"`{arg}`" for arg in args)
    if origin in (Union, types.UnionType):
        return " or ".join(dict.fromkeys(_kind(arg) for arg in args if arg is not type(None)))
    if origin is list:
        return f"list of {_kind(args[0])}"
    if origin is dict:
        return f"map to {_kind(args[1])}"
    if isinstance(annotation, type) and issubclass(annotation, BaseModel):
        return _name(annotation)
    words = {"date": "date", "int": "whole number", "float": "number", "str": "text", "bool": "true or false"}
    return words.get(getattr(annotation, "__name__", ""), str(annotation))


def _default(field: FieldInfo) -> str:
    if field.is_required():
        return "needed"
    if field.default is PydanticUndefined:
        return "none"
    return "none" if field.default is None else f"{field.default}"


def _range(field: FieldInfo) -> str:
    words = {"gt": "above", "ge": "from", "lt": "below", "le": "to", "min_length": "at least", "pattern": "like"}
    found = [
        f"{word} {getattr(limit, key)}"
        for limit in field.metadata
        for key, word in words.items()
        if getattr(limit, key, None) is not None
    ]
    return ", ".join(found)
