"""What a server is: settings, schema, log."""

from __future__ import annotations

from typing import Literal

from pydantic import Field

from hardy_gauge.probes.protocol.base import MOST_NAMES, MOST_OBJECTS, MOST_ROWS, Message


class SettingValue(Message):
    """A setting with its default and range in its own unit; ``concerns`` is "work", or "other" for names and the like."""

    name: str
    value: float | int | str | bool
    unit: str | None = None
    default: float | int | str | bool | None
    minimum: float | None = None
    maximum: float | None = None
    choices: list[str] | None = None
    applies: Literal["at once", "for new sessions", "at restart", "never"]
    context: str = Field("", description="who may set it and where, in the engine's own word")
    pending: bool = Field(False, description="another value waits for a restart")
    concerns: Literal["work", "other"] = Field("work", description="other: locale, formats, names, places of files")
    description: str = ""


class Settings(Message):
    """All settings at one moment."""

    at_us: int
    settings: list[SettingValue] = Field(max_length=MOST_NAMES)


class Column(Message):
    """A column with the planner's statistics; None where there are none."""

    name: str
    type: str
    width_bytes: float
    distinct: float | None = None
    null_share: float = 0.0


class IndexSpec(Message):
    """An index by what it is over; ``name`` may be empty for one that does not exist yet."""

    name: str = ""
    table: str
    columns: list[str] = Field(max_length=MOST_NAMES, min_length=1)
    unique: bool = False


class IndexFacts(IndexSpec):
    """An index that exists."""

    bytes: int
    lookups: float | None = None
    predicate: str | None = Field(None, description="of an index over a part of the rows")
    valid: bool = Field(True, description="false while it is built, and after a build that failed")
    constraint: str = Field(
        "", max_length=40, description="what it enforces: primary key, unique, exclusion; or nothing"
    )
    method: str = Field("", max_length=40, description="how it is built, in the engine's own word")
    place: str = Field("", max_length=200, description="the volume or the space of the engine that it lies in")
    file: str = Field("", max_length=500, description="its first file, as the server names it")


class Table(Message):
    """A table; ``inserts``, ``updates`` and ``deletes`` are rows counted since the server started, ``column_updates``
    the same by column where the server reports it. With the ability ``objects`` they are reported there.
    """

    name: str
    rows: float
    bytes: int
    columns: list[Column] = Field(max_length=MOST_NAMES)
    indexes: list[IndexFacts] = Field(max_length=MOST_NAMES)
    inserts: float | None = None
    updates: float | None = None
    deletes: float | None = None
    column_updates: dict[str, float] = Field(max_length=MOST_NAMES, default_factory=dict)
    options: dict[str, str] = Field(
        max_length=MOST_NAMES, default_factory=dict, description="settings of this table alone"
    )
    place: str = Field("", max_length=200, description="the volume or the space of the engine that it lies in")
    file: str = Field("", max_length=500, description="its first file, as the server names it")


class Schema(Message):
    """All tables of a database at one moment."""

    at_us: int
    database: str
    dialect: str = Field("postgres", description="the SQL dialect name by which texts are parsed")
    tables: list[Table] = Field(max_length=MOST_OBJECTS)


class LogMessage(Message):
    """One line of the server's log; ``change`` says what kind of change it reports, if any."""

    at_us: int
    severity: Literal["info", "warning", "error"]
    text: str
    change: Literal["schema", "setting", "software"] | None = None
    object: str | None = None
    code: str = Field("", max_length=40, description="the engine's code of the error, such as a SQLSTATE")
    user: str = ""
    service: str = ""
    database: str = ""
    statement: str = Field("", description="the text that was running, without its literals unless they were asked for")
    detail: str = Field("", description="of a deadlock: who waited for whom, and what they ran, without literals")


class LogMessages(Message):
    """Log messages up to ``until_us``, from which the next are asked."""

    until_us: int
    messages: list[LogMessage] = Field(max_length=MOST_ROWS)
