"""What sets of indexes would cost each statement, by a twin's planner: every candidate is made up once and switched on and off."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from contextlib import contextmanager
from typing import Any

import psycopg

from hardy_gauge.errors import InvalidInput
from hardy_gauge.lab.twin.asking import MadeUpIndex, Twin, WhatIf


class IndexCosts:
    """Plans of ``texts`` with any set of ``made`` indexes, and without any set of those that are there; from ``index_costs``.

    ``problems`` says of a statement why it cannot be planned, ``refused`` of a candidate why it cannot be made.
    """

    def __init__(
        self, twin: Twin, texts: Sequence[str], made: Sequence[MadeUpIndex | None], refused: dict[int, str]
    ) -> None:
        self._twin, self.made, self.refused = twin, made, refused
        self.problems: dict[int, str] = {}
        self._on: frozenset[str] = frozenset(one.name for one in made if one is not None)
        self._off: frozenset[str] = frozenset()
        for number, text in enumerate(texts):
            try:
                twin.prepare(f"of_{number}", twin.given(text))
            except psycopg.Error:
                try:
                    twin.prepare(f"of_{number}", text)
                except psycopg.Error as error:
                    self.problems[number] = error.diag.message_primary or str(error)

    def plan(
        self, statement: int, chosen: frozenset[int] = frozenset(), without: frozenset[str] = frozenset()
    ) -> dict[str, Any]:
        """The plan of a statement with the candidates ``chosen``, and without the indexes named in ``without``."""
        wanted = frozenset(one.name for number in chosen if (one := self.made[number]) is not None)
        if wanted != self._on or without != self._off:
            self._twin.switch(
                on=(wanted - self._on) | (self._off - without), off=(self._on - wanted) | (without - self._off)
            )
            self._on, self._off = wanted, without
        plan: dict[str, Any] = self._twin.prepared(f"of_{statement}")[0]["Plan"]
        return plan

    def cost(
        self, statement: int, chosen: frozenset[int] = frozenset(), without: frozenset[str] = frozenset()
    ) -> float:
        """In the planner's unit; 0 where the statement cannot be planned."""
        return 0.0 if statement in self.problems else float(self.plan(statement, chosen, without)["Total Cost"])

    def used(self, statement: int, chosen: frozenset[int] = frozenset()) -> set[str]:
        """Names of the indexes that its plan reads."""
        return set() if statement in self.problems else _indexes(self.plan(statement, chosen))


def _indexes(plan: dict[str, Any]) -> set[str]:
    here = {plan["Index Name"]} if "Index Name" in plan else set()
    return here.union(*(_indexes(one) for one in plan.get("Plans", [])))


@contextmanager
def index_costs(twin: Twin, texts: Sequence[str], candidates: Sequence[str]) -> Iterator[IndexCosts]:
    """Inside, ``candidates`` are made up; one that cannot be is left out and said."""
    refused: dict[int, str] = {}
    for number, one in enumerate(candidates):
        try:
            twin.check(one)
        except InvalidInput as error:
            refused[number] = error.detail
    kept = [number for number in range(len(candidates)) if number not in refused]
    with twin.what_if(WhatIf(indexes=[candidates[number] for number in kept])) as made:
        by_number = dict(zip(kept, made, strict=True))
        yield IndexCosts(twin, texts, [by_number.get(number) for number in range(len(candidates))], refused)
