"""Scenario files: hosts, clusters, tables, statements, rhythms and troubles, checked on reading.

Sizes may be written with a unit ("1 GiB", "330 MB"); rates are per second at the top of the rhythm.
"""

from __future__ import annotations

import re
from pathlib import Path
from typing import Annotated, Literal

import yaml
from pydantic import BaseModel, BeforeValidator, ConfigDict, Field, ValidationError, model_validator

_UNITS = {
    "B": 1,
    "kB": 10**3,
    "MB": 10**6,
    "GB": 10**9,
    "TB": 10**12,
    "KiB": 2**10,
    "MiB": 2**20,
    "GiB": 2**30,
}
_UNITS["TiB"] = 2**40
PAGE_BYTES = 8192


def parse_bytes(value: object) -> object:
    """Bytes from "1 GiB" or a plain number; ValueError names the units that are known."""
    if isinstance(value, str):
        match = re.fullmatch(r"\s*([\d.]+)\s*([A-Za-z]+)\s*", value)
        if not match or match[2] not in _UNITS:
            raise ValueError(f"a size such as '8 GiB' was expected; units: {', '.join(_UNITS)}")
        return int(float(match[1]) * _UNITS[match[2]])
    return value


Bytes = Annotated[int, BeforeValidator(parse_bytes), Field(gt=0)]


class Part(BaseModel):
    model_config = ConfigDict(extra="forbid")


class VolumeSpec(Part):
    """A volume of ``channels`` parallel servers: its limits are channels ÷ latency and channels × stream."""

    capacity: Bytes
    used: Bytes
    growth_per_day: Bytes
    channels: int = Field(ge=1)
    latency_s: float = Field(gt=0)
    stream_bytes_per_s: Bytes


class HostSpec(Part):
    cores: int = Field(ge=1)
    memory: Bytes
    data_volume: VolumeSpec
    log_volume: VolumeSpec
    network_latency_s: float = Field(0.0002, ge=0)
    network_bytes_per_s: Bytes = 1_000_000_000


class ColumnSpec(Part):
    type: str = "bigint"
    width: float = Field(8, gt=0)
    distinct: float = Field(gt=0)
    null_share: float = Field(0, ge=0, le=1)


class IndexDef(Part):
    name: str
    columns: list[str] = Field(min_length=1)
    unique: bool = False


class TableSpec(Part):
    rows: float = Field(gt=0)
    skew: float = Field(0.8, ge=0, le=1.5, description="Zipf exponent of page popularity")
    columns: dict[str, ColumnSpec]
    indexes: list[IndexDef] = Field(default_factory=list)

    @property
    def row_bytes(self) -> float:
        return 28 + sum(column.width for column in self.columns.values())

    @property
    def pages(self) -> float:
        return max(1.0, self.rows * self.row_bytes / (PAGE_BYTES * 0.96))


class StatementSpec(Part):
    sql: str
    service: str
    user: str
    rate: float = Field(gt=0, description="calls per second at the top of the rhythm, on the whole cluster")
    rhythm: str
    on: Literal["primary", "replica", "all"] = "primary"
    matching_rows: float | None = Field(
        None, ge=0, description="rows that truly match; default: as independent columns"
    )
    hot_rows: int | None = Field(None, ge=1, description="rows among which an update's locks fall")
    written_bytes: float = Field(0, ge=0, description="log bytes a call writes besides its rows")


class RhythmSpec(Part):
    """Share of the top rate by hour of the local day, and factors by weekday (Monday first)."""

    hours: list[float] = Field(min_length=24, max_length=24)
    weekdays: list[float] = Field([1.0] * 7, min_length=7, max_length=7)


class ServerSpec(Part):
    name: str
    role: Literal["primary", "replica", "member", "single"]
    load: float = Field(1.0, ge=0)
    copy_of: str | None = None
    settings: dict[str, float | int | str | bool] = Field(default_factory=dict)


class ClusterSpec(Part):
    name: str
    database: str
    host: HostSpec
    servers: list[ServerSpec] = Field(min_length=1)
    settings: dict[str, float | int | str | bool] = Field(default_factory=dict)


class TroubleSpec(Part):
    """``missing_index``: the named index is gone from the servers from ``start_minutes_ago`` on."""

    cause: Literal["missing_index"]
    servers: list[str] = Field(min_length=1)
    index: str
    start_minutes_ago: float = Field(gt=0)


class Scenario(Part):
    name: str
    seed: int
    history_days: float = Field(gt=0, le=60)
    sample_history_days: float = Field(gt=0, le=60)
    engine_version: str = "1.4"
    clusters: list[ClusterSpec] = Field(min_length=1)
    tables: dict[str, TableSpec]
    rhythms: dict[str, RhythmSpec]
    statements: dict[str, StatementSpec]
    troubles: list[TroubleSpec] = Field(default_factory=list)

    @model_validator(mode="after")
    def _names_agree(self) -> Scenario:
        servers = {server.name for cluster in self.clusters for server in cluster.servers}
        indexes = {index.name for table in self.tables.values() for index in table.indexes}
        for key, statement in self.statements.items():
            if statement.rhythm not in self.rhythms:
                raise ValueError(f"statements.{key}.rhythm: '{statement.rhythm}' is none of {sorted(self.rhythms)}")
        for number, trouble in enumerate(self.troubles):
            if trouble.index not in indexes:
                raise ValueError(f"troubles.{number}.index: no table has an index '{trouble.index}'")
            if unknown := set(trouble.servers) - servers:
                raise ValueError(f"troubles.{number}.servers: unknown {sorted(unknown)}; known {sorted(servers)}")
        for name, table in self.tables.items():
            for index in table.indexes:
                if unknown := set(index.columns) - set(table.columns):
                    raise ValueError(f"tables.{name}.indexes.{index.name}: unknown columns {sorted(unknown)}")
        return self


class ScenarioError(Exception):
    """A scenario file that cannot be used; the message has one line a mistake."""


def load_scenario(path: Path) -> Scenario:
    """Read and check a scenario file; ScenarioError says what is wrong and where."""
    try:
        return Scenario.model_validate(yaml.safe_load(path.read_text(encoding="utf-8")))
    except yaml.YAMLError as error:
        raise ScenarioError(f"{path}: not YAML: {error}") from error
    except ValidationError as error:
        lines = [f"{'.'.join(str(p) for p in e['loc']) or 'scenario'}: {e['msg']}" for e in error.errors()]
        raise ScenarioError("\n".join(lines)) from error


def shipped(name: str = "quillhaven") -> Path:
    """The path of a scenario that ships with the package."""
    return Path(__file__).parent / "scenarios" / f"{name}.yaml"
