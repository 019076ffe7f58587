"""A proof on made data, of another text or of a set of indexes."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal

from hardy_gauge.core.statements.same_rows import RowsCompared
from hardy_gauge.core.trials.compare import Ratio

Same = Literal["same", "another order", "differ"]


@dataclass(frozen=True)
class MadeTable:
    """A table with how many rows it has on the server, and in the made data."""

    name: str
    rows_there: float
    rows: int


@dataclass(frozen=True)
class Difference:
    """A call whose rows differ: its values, and some of the rows that one of the texts gives more often."""

    values: Sequence[str | None]
    compared: RowsCompared


@dataclass(frozen=True)
class Proof:
    """``same``: whether both gave the same rows in every call, "another order" where only that differs although the old text asks for
    one. ``determined`` is false where the old text itself gives other rows when it is run another way. ``ratio`` is new ÷ old; ``basis``
    says on what it was run.
    """

    sentence: str
    basis: str
    same: Same
    determined: bool
    calls: int
    rows: int
    differences: list[Difference]
    old_s: float
    new_s: float
    ratio: Ratio | None
    old_columns: list[str]
    new_columns: list[str]
    tables: list[MadeTable]
    cautions: list[str]


@dataclass(frozen=True)
class StatementProof:
    """Seconds of a call without and with the indexes; ``promised`` is the planner's cost with ÷ without; ``problem`` why it was not
    called.
    """

    fingerprint: str
    text: str
    before_s: float | None
    after_s: float | None
    ratio: float | None
    promised: float | None
    problem: str = ""


@dataclass(frozen=True)
class IndexProof:
    """Of the whole workload: the share of its time that was promised to go, and that went, with ``ratio`` with ÷ without."""

    sentence: str
    basis: str
    promised_share: float | None
    measured_share: float | None
    ratio: Ratio | None
    statements: list[StatementProof]
    tables: list[MadeTable]
    cautions: list[str]
