"""What a plan reads to find its rows. Thresholds are common practice: ten thousand rows are some milliseconds, a hundredth is few."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import dataclass, field

from hardy_gauge.core.checks.check import Check
from hardy_gauge.core.evidence.schema import TableFacts
from hardy_gauge.core.figures.formatting import amount, share
from hardy_gauge.core.plans.model import Plan, Step

MANY_ROWS = 10_000.0
FEW = 0.01
FAR_ABOVE = 100.0
MOST_REMOVED = 0.9


@dataclass(frozen=True)
class PlanSubject:
    """A plan with the tables that are known, by name."""

    plan: Plan
    tables: Mapping[str, TableFacts] = field(default_factory=dict)

    def steps(self) -> list[Step]:
        return [step for _, step in self.plan.root.walk() if not step.never_run]


PlanCheck = Check[PlanSubject]


def _far_above(subject: PlanSubject) -> Iterator[str]:
    examined = sum(step.rows_examined or 0.0 for step in subject.steps())
    returned = subject.plan.root.rows_seen
    aggregates = any(step.operation in ("aggregate", "group") for step in subject.steps())
    if returned is not None and not aggregates and examined >= MANY_ROWS and examined > FAR_ABOVE * max(returned, 1.0):
        yield f"{amount(examined)} rows are read for {amount(returned)} that are returned"


def _scan_for_few(subject: PlanSubject) -> Iterator[str]:
    for step in subject.steps():
        if step.operation != "scan" or step.object is None:
            continue
        table = subject.tables.get(step.object)
        read = step.rows_examined if step.rows_seen is not None else table.rows if table else None
        kept = step.rows_seen if step.rows_seen is not None else step.rows_expected
        loops = max(step.loops, 1.0)
        if read is not None and read / loops >= MANY_ROWS and kept <= FEW * read:
            yield f"all of {step.object} is read, {amount(read)} rows, for {amount(kept)}"


def _not_narrowed(subject: PlanSubject) -> Iterator[str]:
    for step in subject.steps():
        rows = step.rows_examined if step.rows_examined is not None else step.rows_expected
        if step.narrowed is False and rows >= MANY_ROWS:
            yield f"{step.index} is read from end to end, {amount(rows)} rows"


def _index_keeps_few(subject: PlanSubject) -> Iterator[str]:
    for step in subject.steps():
        removed, examined = step.rows_removed or 0.0, step.rows_examined or 0.0
        if step.narrowed and removed >= MANY_ROWS and removed >= MOST_REMOVED * examined > 0:
            yield f"{step.index} finds {amount(examined)} rows, of which {share(removed / examined)} are thrown away"


def _late_filter(subject: PlanSubject) -> Iterator[str]:
    for step in subject.steps():
        removed, kept = step.rows_removed or 0.0, step.rows_seen or 0.0
        if len(step.steps) > 1 and removed >= MANY_ROWS and removed >= MOST_REMOVED * (removed + kept):
            yield f"{step.words} makes {amount(removed + kept)} rows and throws {share(removed / (removed + kept))} away"


CHECKS = (
    PlanCheck(
        "plan_reads_far_more", "plan", "Far more rows are read than are returned", "plan", "The server works for rows that nobody gets.",
        "See which step reads them, and whether a condition could be served by an index.", "An index is built beside the work; try it on a twin first.", 0.85, _far_above,
    ),
    PlanCheck(
        "plan_scans_for_few", "plan", "A large table is read whole for few rows", "plan", "The time grows with the table and not with what is asked for.",
        "Give the condition an index to begin with, or write it so that one can serve it.", "An index is built beside the work; try it on a twin first.", 0.85, _scan_for_few,
    ),
    PlanCheck(
        "plan_index_not_narrowed", "plan", "An index is read from end to end", "note", "It saves sorting, or the table's width, and not reading.",
        "Where few rows are wanted, give it a condition on its first column, or an index that begins with the condition's column.", "Safe to look into; the order of rows must stay.", 0.7, _not_narrowed,
    ),
    PlanCheck(
        "plan_index_keeps_few", "plan", "An index finds many rows that a filter throws away", "plan", "Each of them is fetched from the table first.",
        "Add the filter's column to the index.", "The wider index takes more room and more writes.", 0.85, _index_keeps_few,
    ),
    PlanCheck(
        "plan_late_filter", "plan", "A join makes rows that a condition throws away afterwards", "plan", "What could be decided before joining is decided after.",
        "Write the condition on one side where it concerns one side, or join by equality of columns.", "Compare the rows of both texts before.", 0.75, _late_filter,
    ),
)  # fmt: skip
