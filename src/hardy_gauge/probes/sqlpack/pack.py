"""What a pack file says: queries by what they answer, with variants by the server's version."""

from __future__ import annotations

from functools import cache
from importlib import resources
from typing import Literal, Self

from pydantic import Field, model_validator

from hardy_gauge.input_document import InputDocument
from hardy_gauge.probes.protocol import Ability
from hardy_gauge.yaml_text import read_yaml


class PackPart(InputDocument):
    """A part of a pack; unknown keys are an error."""


class Variant(PackPart):
    """A query for servers whose version number lies in ``[since, before)``."""

    since: int = 0
    before: int = 10**9
    sql: str


class Query(PackPart):
    """One question: ``sql`` for every version, or variants of which the first that fits is asked.

    ``every_s``: the answer is kept so long, for questions that cost the server something.
    ``needs``: it is not asked of a server without this ability.
    """

    sql: str = ""
    variants: list[Variant] = Field(default_factory=list)
    every_s: float = 0.0
    needs: Ability | None = None

    def text(self, version: int) -> str | None:
        """The SQL for a version; None where none fits."""
        fits = (v.sql for v in self.variants if v.since <= version < v.before)
        return self.sql or next(fits, None)


class Check(PackPart):
    """Whether the server reports something: ``sql`` gives ``reported`` and ``why``, and perhaps ``remedy`` where that depends;
    ``remedy`` is what to do there.
    """

    ability: Ability
    what: str
    sql: str = "SELECT true AS reported, '' AS why"
    remedy: str = ""


class Greeting(PackPart):
    """How a port of this engine is known before anybody signs in: bytes to send, and how its answer may begin; as
    hexadecimal digits.
    """

    send: str = Field(pattern=r"^([0-9a-f]{2})+$")
    answers: list[str] = Field(min_length=1)


class Pack(PackPart):
    """A whole pack. ``connect`` are statements for a new connection; ``version`` gives one whole number; ``columns`` and
    ``indexes`` are asked of the tables ``:ids``, those whose text in ``markers`` changed.
    """

    engine: str
    dialect: str
    port: int = Field(description="where the engine listens unless it is told otherwise")
    drivers: list[str]
    least_version: int
    least_version_words: str
    connect: list[str]
    version: str
    identity: str
    checks: list[Check]
    counters: list[Query]
    levels: list[Query]
    connections: Query
    statements: Query
    sessions: Query
    settings: Query
    tables: Query
    stamp: Query
    markers: Query
    columns: Query
    indexes: Query
    counted_since: Query
    table_counters: Query
    index_counters: Query
    sequences: Query
    members: Query
    progress: Query | None = Field(None, description="how far the calls of the sessions ``:sessions`` are")
    end_session: Query | None = Field(None, description="ends ``:session`` of ``:account``; a row where there is one")
    adapter: str = Field(
        description="name of the module that knows how the engine is connected to, its plans and its log"
    )
    recognised_by: Greeting | None = None
    database: str = Field("", description="the database that is always there")
    socket_folders: list[str] = Field(default_factory=list, description="where its sockets usually lie")
    socket_name: str = Field("{port}", description="the name of a socket, with {port}")

    def check_of(self, ability: Ability) -> Check:
        """The first check of an ability, which decides about it."""
        return next(check for check in self.checks if check.ability == ability)


class FigureQuery(PackPart):
    """A query of the user's own whose values become figures: columns ``value``, and ``label`` where there are many.

    A counter only grows and is stored as what it grew by; a level is stored as it is read. Outside ``least`` and ``most`` it becomes
    a finding; a counter's are of its rate a second.
    """

    name: str = Field(pattern=r"^[a-z][a-z0-9_]{0,39}$")
    kind: Literal["counter", "level"] = "level"
    sql: str = Field(min_length=1, max_length=10_000)
    unit: str = Field("", max_length=20)
    title: str = Field("", max_length=80)
    least: float | None = Field(None, allow_inf_nan=False)
    most: float | None = Field(None, allow_inf_nan=False)

    @model_validator(mode="after")
    def _in_order(self) -> Self:
        if self.least is not None and self.most is not None and self.least > self.most:
            raise ValueError(f"most: {self.most:g} is below least, {self.least:g}")
        return self


@cache
def load_pack(engine: str) -> Pack:
    """The pack of an engine; a ValidationError names what is wrong in the file."""
    source = resources.files("hardy_gauge.probes.sqlpack") / "packs" / f"{engine}.yaml"
    return Pack.model_validate(read_yaml(source.read_text(encoding="utf-8")))


@cache
def shipped() -> tuple[Pack, ...]:
    """Every pack in the folder, by name."""
    folder = resources.files("hardy_gauge.probes.sqlpack") / "packs"
    names = sorted(item.name.removesuffix(".yaml") for item in folder.iterdir() if item.name.endswith(".yaml"))
    return tuple(load_pack(name) for name in names)


def pack_for(driver: str) -> Pack | None:
    """The pack for an address's driver name, such as ``postgresql+psycopg``."""
    return next((pack for pack in shipped() if driver in pack.drivers), None)
