"""Plans as the probe protocol gives them: {"plan_key", "cost", "time_s", "root": step} or a step alone."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

from hardy_gauge.core.plans.model import MalformedPlan, Plan, Step, TriggerWork
from hardy_gauge.core.plans.readers.number import number

NAME = "probe protocol"
_FIGURES = (
    "rows_expected", "rows_seen", "rows_examined", "loops", "cost", "time_s", "pages_requested", "pages_read", "processes", "summed_s",
    "workers_planned", "workers_launched", "rows_removed", "memory_bytes", "memory_wanted_bytes", "spilled_bytes", "moved_rows", "moved_bytes",
)  # fmt: skip
_KNOWN = {
    "operation",
    "words",
    "object",
    "index",
    "predicate",
    "steps",
    "includes_below",
    "result",
    "narrowed",
    *_FIGURES,
}
_WHOLE = ("planning_s", "execution_s", "compiled_s")


def matches(document: object) -> bool:
    """Whether a document is a plan of the probe protocol."""
    return isinstance(document, dict) and ("root" in document or ("operation" in document and "steps" in document))


def read(document: Any) -> Plan:
    """The plan; MalformedPlan names what is wrong."""
    root = step(document.get("root", document), "root")
    whole = {name: number(document, name, "plan") for name in _WHOLE} if "root" in document else {}
    return Plan(root, NAME, cost=root.cost, time_s=root.whole_s(), triggers=tuple(_triggers(document)), **whole)


def _triggers(document: dict[str, Any]) -> Iterator[TriggerWork]:
    for place, one in enumerate(document.get("triggers") or []):
        where = f"triggers.{place}"
        if not isinstance(one, dict):
            raise MalformedPlan(f"{where}: an object was expected", where)
        calls, time_s = (number(one, name, where) or 0.0 for name in ("calls", "time_s"))
        yield TriggerWork(str(one.get("name") or "trigger"), str(one.get("object") or ""), calls, time_s)


def step(node: Any, where: str) -> Step:
    """One step and those below it; MalformedPlan names the field that is wrong."""
    if not isinstance(node, dict) or not isinstance(node.get("operation"), str):
        raise MalformedPlan(f"{where}: a step with an operation was expected", where)
    if unknown := set(node) - _KNOWN:
        raise MalformedPlan(f"{where}: unknown key {sorted(unknown)[0]}", f"{where}.{sorted(unknown)[0]}")
    figures: dict[str, Any] = {name: value for name in _FIGURES if (value := number(node, name, where)) is not None}
    for name in ("includes_below", "narrowed"):
        if not isinstance(node.get(name), bool | None):
            raise MalformedPlan(f"{where}.{name}: true or false was expected", f"{where}.{name}")
    below = [step(child, f"{where}.steps.{i}") for i, child in enumerate(node.get("steps") or [])]
    return Step(
        operation=node["operation"], words=str(node.get("words") or node["operation"]), object=node.get("object"),
        index=node.get("index"), predicate=node.get("predicate"), steps=below,
        includes_below=node.get("includes_below") is not False, narrowed=node.get("narrowed"), result=str(node.get("result") or ""), **figures,
    )  # fmt: skip
