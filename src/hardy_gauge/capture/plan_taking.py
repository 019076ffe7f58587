"""Taking plans of one server: by their keys where it keeps those that it uses, and else of the texts that it counted."""

from __future__ import annotations

import logging
import time
from collections import defaultdict
from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass, field
from functools import partial

from hardy_gauge.capture.backoff import Backoff
from hardy_gauge.capture.batch import TakenPlan
from hardy_gauge.capture.plan_asking import PlanAsking
from hardy_gauge.capture.statement_registry import StatementRegistry, key_of
from hardy_gauge.probes import protocol as p

log = logging.getLogger(__name__)
AT_ONCE = 3


@dataclass
class PlanTaking:
    """``known`` are the keys of the plans that are stored, by statement."""

    server_id: int
    probe: p.Probe
    backoff: Backoff
    known: defaultdict[int, set[str]] = field(default_factory=lambda: defaultdict(set))
    asking: PlanAsking = field(default_factory=PlanAsking)
    _due: list[tuple[str, str]] = field(default_factory=list)

    def minute(self, counted: Sequence[p.StatementCounter], by_text: bool, now_us: int) -> None:
        """Take the counters of a minute: which plans are in use, or are to be asked for. Rows without a plan get the one that
        their text was planned with last.
        """
        self._due = [(row.key, row.plan_key) for row in counted if row.plan_key]
        if by_text and not self._due:
            self.asking.minute(counted, now_us)
            for row in counted:
                row.plan_key = self.asking.in_use(row.key)

    def values_seen(self, executions: Iterable[p.ExecutionRecord], registry: StatementRegistry) -> None:
        """Executions whose texts have their values."""
        keys = {known.statement_id: key for key, known in registry.known.items() if not key.startswith("text:")}
        for one in executions:
            known = registry.known.get(key_of(one) or "")
            if one.text and known is not None and known.statement_id in keys:
                self.asking.values_seen(keys[known.statement_id], one.text)

    def tick(self, registry: StatementRegistry, most: int, now_us: int) -> list[TakenPlan]:
        """Some of the plans that are due, at most ``most`` of one statement; of one that is not stored yet a minute later."""
        taken = [one for _ in range(AT_ONCE) if (one := self._by_key(registry, most, now_us)) is not None]
        for _ in range(AT_ONCE):
            wanted = self.asking.next(now_us, registry.known)
            if wanted is None:
                break
            began = time.monotonic()
            explained = self._asked(wanted.key, partial(self.probe.explain, p.ExplainRequest(text=wanted.text)))
            key = explained.plan_key if explained else None
            self.asking.answered(wanted, key, time.monotonic() - began, now_us)
            known = registry.known[wanted.key]
            if explained is None or key is None or not self._is_new(known.statement_id, key, most):
                continue
            self.known[known.statement_id].add(key)
            explained = explained.model_copy(update={"for_values": wanted.for_values})
            taken.append(TakenPlan(known.statement_id, key, now_us, explained))
        return taken

    def _by_key(self, registry: StatementRegistry, most: int, now_us: int) -> TakenPlan | None:
        while self._due:
            key, plan_key = self._due.pop()
            known = registry.known.get(key)
            if known is None or not self._is_new(known.statement_id, plan_key, most):
                continue
            self.known[known.statement_id].add(plan_key)
            explained = self._asked(plan_key, partial(self.probe.plan, plan_key))
            return TakenPlan(known.statement_id, plan_key, now_us, explained) if explained else None
        return None

    def _is_new(self, statement_id: int, plan_key: str, most: int) -> bool:
        had = self.known[statement_id]
        return plan_key not in had and len(had) < most

    def _asked(self, what: str, ask: Callable[[], p.Explained]) -> p.Explained | None:
        try:
            return self.backoff.timed(ask)
        except p.ProbeError as error:
            log.info("plan %s of server %s: %s", what, self.server_id, error)
            return None
