"""Two texts run beside each other on made data: do they give the same rows, and how long does each take."""

from __future__ import annotations

import random
from collections.abc import Sequence
from dataclasses import dataclass, field
from typing import Any

import numpy as np
import psycopg
import sqlglot
from sqlglot import exp

from hardy_gauge.core.narrative.proof import basis_words, columns_words, proof_sentence
from hardy_gauge.core.proof.results import Difference, Proof, Same
from hardy_gauge.core.statements.same_rows import compare_rows
from hardy_gauge.core.trials.compare import Ratio, paired_ratio
from hardy_gauge.errors import InvalidInput
from hardy_gauge.lab.made.calls import call, said
from hardy_gauge.lab.made.fill import Made
from hardy_gauge.lab.made.parameters import draw_parameters, with_shared_parameters

DRAWS, ROUNDS = 12, 3
VALUES_DRAWN = (
    "values that the texts compare columns with were drawn anew, since those of the rows are not the real ones"
)
WRITES = (exp.Insert, exp.Update, exp.Delete)
# other ways to the same rows: what changes then the text does not determine
OTHER_WAYS = (
    "enable_hashjoin",
    "enable_mergejoin",
    "enable_indexscan",
    "enable_bitmapscan",
    "enable_hashagg",
    "max_parallel_workers_per_gather",
)


@dataclass
class _Side:
    text: str
    part: str
    seconds: list[float] = field(default_factory=list)


def prove(made: Made, old: str, new: str, draws: int = DRAWS, rounds: int = ROUNDS, seed: int = 1) -> Proof:
    """Call both with the same values. InvalidInput names the text that is no single query or write, or that the server refuses."""
    sides = [_Side(old, "old"), _Side(new, "new")]
    trees = [_checked(side) for side in sides]
    cautions = list(made.cautions)
    if made.values == "replaced":
        cautions.append(VALUES_DRAWN)
        for side, text in zip(sides, with_shared_parameters([old, new]), strict=True):
            side.text = text
    with made.connect() as connection:
        try:
            values = draw_parameters(connection, [side.text for side in sides], draws, seed)
        except psycopg.Error as error:
            raise InvalidInput(f"{_refused(connection, sides)}: {said(error)}", _refused(connection, sides)) from error
        written = sorted({_written(tree) for tree in trees if isinstance(tree, WRITES)})
        compared, columns = [], (list[str](), list[str]())
        for one in values:
            answers = [_called(connection, side, one, written) for side in sides]
            columns = answers[0][1], answers[1][1]
            compared.append(compare_rows(answers[0][0], answers[1][0]))
        determined = all(
            compare_rows(*_both_ways(connection, sides[0], one, written)).likeness != "differ" for one in values[:3]
        )
        ratio = _timed(connection, sides, values, rounds, written, seed)
    differs = [
        Difference(one, found) for one, found in zip(values, compared, strict=True) if found.likeness == "differ"
    ]
    orders = any(found.likeness == "another order" for found in compared)
    same: Same = (
        "differ"
        if differs or len(columns[0]) != len(columns[1])
        else "another order"
        if orders and _is_ordered(trees[0])
        else "same"
    )
    old_s, new_s = (float(np.mean(side.seconds)) for side in sides)
    rows = sum(found.first_rows for found in compared)
    empty = sum(not found.first_rows and not found.second_rows for found in compared)
    sentence = proof_sentence(same, determined, len(compared), rows, empty, len(differs), ratio, old_s, new_s)
    if columns[0] != columns[1]:
        cautions.append(columns_words(*columns))
    return Proof(
        sentence, basis_words(made.tables), same, determined, len(compared), rows, differs[:5], old_s, new_s, ratio, columns[0], columns[1],
        made.tables, cautions,
    )  # fmt: skip


def _checked(side: _Side) -> exp.Expr:
    try:
        found = [one for one in sqlglot.parse(side.text, read="postgres") if one is not None]
    except sqlglot.errors.SqlglotError as error:
        raise InvalidInput(f"{side.part}: {str(error).splitlines()[0]}", side.part) from error
    if len(found) != 1 or not isinstance(found[0], exp.Query | exp.Insert | exp.Update | exp.Delete):
        raise InvalidInput(f"{side.part}: one query, or one INSERT, UPDATE or DELETE, was expected", side.part)
    return found[0]


def _refused(connection: psycopg.Connection[Any], sides: Sequence[_Side]) -> str:
    """Which text the server does not take."""
    for side in sides:
        try:
            connection.execute(f"PREPARE looked_at AS {side.text}".encode(), binary=True)
            connection.execute("DEALLOCATE looked_at")
        except psycopg.Error:
            return side.part
    return sides[0].part


def _written(tree: exp.Expr) -> str:
    table = tree.find(exp.Table)
    assert table is not None
    return exp.Table(this=table.this, db=table.args.get("db")).sql(dialect="postgres")


def _is_ordered(tree: exp.Expr) -> bool:
    return tree.args.get("order") is not None


def _called(
    connection: psycopg.Connection[Any], side: _Side, values: Sequence[str | None], written: Sequence[str]
) -> tuple[list[Any], list[str]]:
    """The rows of a call; of a write also what is in the tables after it. Nothing stays."""
    with connection.transaction(force_rollback=True):
        rows, columns, _ = call(connection, side.text, side.part, values)
        for table in written:
            rows += connection.execute(
                f"SELECT {psycopg.sql.Literal(table).as_string(connection)}, t::text FROM {table} AS t".encode()
            ).fetchall()
    return rows, columns


def _both_ways(
    connection: psycopg.Connection[Any], side: _Side, values: Sequence[str | None], written: Sequence[str]
) -> tuple[list[Any], list[Any]]:
    first, _ = _called(connection, side, values, written)
    try:
        for name in OTHER_WAYS:
            connection.execute(f"SET {name} = {'0' if name.startswith('max') else 'off'}".encode())
        second, _ = _called(connection, side, values, written)
    finally:
        for name in OTHER_WAYS:
            connection.execute(f"RESET {name}".encode())
    return first, second


def _timed(
    connection: psycopg.Connection[Any], sides: Sequence[_Side], values: Sequence[Sequence[str | None]], rounds: int,
    written: Sequence[str], seed: int,
) -> Ratio | None:  # fmt: skip
    """Both in turn, in an order drawn for each call; a pair of figures for each list of values, or for each round where there is one."""
    order = random.Random(seed)
    blocks: list[tuple[list[float], list[float]]] = []
    times = rounds if len(values) > 1 else rounds * 4
    for one in values:
        found: list[list[float]] = [[], []]
        for _ in range(times):
            for place in order.sample((0, 1), 2):
                with connection.transaction(force_rollback=True):
                    found[place].append(call(connection, sides[place].text, sides[place].part, one)[2])
        blocks += [(found[0], found[1])] if len(values) > 1 else [([a], [b]) for a, b in zip(*found, strict=True)]
        for side, seconds in zip(sides, found, strict=True):
            side.seconds += seconds
    means = [[float(np.mean(pair[k])) for pair in blocks] for k in (0, 1)]
    return paired_ratio(means[0], means[1]) if len(blocks) > 1 else None
