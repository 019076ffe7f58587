"""The two sides of a comparison as the queries take them."""

from __future__ import annotations

from dataclasses import dataclass

import polars as pl

from hardy_gauge.core.time.span import Span
from hardy_gauge.store.models import Server


@dataclass(frozen=True)
class Of:
    """What of both sides is compared; empty for all."""

    service: str = ""
    user: str = ""
    statement: str = ""

    @property
    def narrows(self) -> bool:
        return bool(self.service or self.user or self.statement)

    def words(self) -> str:
        said = [
            f"{name} {value}"
            for name, value in (("service", self.service), ("user", self.user), ("statement", self.statement[:8]))
            if value
        ]
        return f" of {' and '.join(said)}" if said else ""

    def expressions(self) -> list[pl.Expr]:
        return [pl.col(name) == value for name, value in (("service", self.service), ("user", self.user)) if value]


EVERYTHING = Of()


@dataclass(frozen=True)
class Asked:
    """One side as it is asked for."""

    scope: str
    span: Span
    of: Of = EVERYTHING


@dataclass(frozen=True)
class OneSide:
    scope: str
    span: Span
    servers: list[Server]
    of: Of
