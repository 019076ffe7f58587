"""Twins that a running process keeps, to answer "what if" for its servers: made when first asked for, anew when what they stand on changed."""

from __future__ import annotations

import atexit
import json
import os
import shutil
import tempfile
from collections import OrderedDict
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from pathlib import Path
from threading import Lock

import psutil

from hardy_gauge.core.plans.model import Plan
from hardy_gauge.core.plans.readers import read_document
from hardy_gauge.errors import InvalidInput, Refused
from hardy_gauge.lab.instance import OWNER, PREFIX, remove_leftovers
from hardy_gauge.lab.twin.asking import WhatIf, open_twin
from hardy_gauge.lab.twin.make import make_twin, remove_twin
from hardy_gauge.probes.protocol import ExplainRequest, PlannerFacts

MOST = 4


@dataclass(frozen=True)
class _Kept:
    folder: Path
    facts_us: int


class KeptTwins:
    """Of one process; they are gone with it. One question at a time."""

    def __init__(self) -> None:
        self._twins: OrderedDict[str, _Kept] = OrderedDict()
        self._turn = Lock()
        self._number = 0
        self._home: Path | None = None

    def _place(self) -> Path:
        if self._home is None:
            remove_leftovers()
            self._home = Path(tempfile.mkdtemp(prefix=f"{PREFIX}kept-"))
            owner = {"process": os.getpid(), "began": psutil.Process().create_time()}
            (self._home / OWNER).write_text(json.dumps(owner))
            atexit.register(self.close)
        self._number += 1
        return self._home / f"twin-{self._number}"

    @contextmanager
    def using(self, key: str, server: str, facts_us: int, facts: Callable[[], PlannerFacts]) -> Iterator[Path]:
        """The folder of a server's twin, for this question alone. ``key`` names the server whatever it is called; ``facts`` are read where
        its twin is older than ``facts_us``. ProbeError where no twin can be made.
        """
        with self._turn:
            kept = self._twins.get(key)
            if kept is None or kept.facts_us < facts_us:
                kept = self._made(key, server, facts())
            self._twins.move_to_end(key)
            yield kept.folder

    def plan(
        self, key: str, server: str, facts_us: int, facts: Callable[[], PlannerFacts], request: ExplainRequest
    ) -> Plan:
        """The plan of a text with indexes that are not there, or without some that are; as ``using``. Refused names what cannot be imagined
        or planned.
        """
        given = WhatIf([f"{one.table}({', '.join(one.columns)})" for one in request.add_indexes], request.drop_indexes)
        try:
            with self.using(key, server, facts_us, facts) as folder, open_twin(folder) as twin, twin.what_if(given):
                answer = twin.plan(request.text)
        except InvalidInput as error:
            field = {"index": "add_indexes", "drop": "drop_indexes"}.get(error.field, error.field)
            raise Refused(error.detail.partition(": ")[2] or error.detail, field) from error
        if answer.plan is None:
            raise Refused(answer.problem, "text")
        return read_document([{"Plan": answer.plan}])

    def _made(self, key: str, server: str, facts: PlannerFacts) -> _Kept:
        self._drop(key)
        while len(self._twins) >= MOST:
            self._drop(next(iter(self._twins)))
        folder = self._place()
        make_twin(facts, server, folder, stays=False)
        self._twins[key] = _Kept(folder, facts.at_us)
        return self._twins[key]

    def _drop(self, key: str) -> None:
        kept = self._twins.pop(key, None)
        if kept is not None:
            remove_twin(kept.folder)

    def close(self) -> None:
        """Take all of them away."""
        with self._turn:
            for key in list(self._twins):
                self._drop(key)
            if self._home is not None:
                shutil.rmtree(self._home, ignore_errors=True)
                self._home = None


twins = KeptTwins()
