"""Plans as the probe protocol gives them: {"plan_key", "cost", "time_s", "root": step} or a step alone."""

from __future__ import annotations

from typing import Any

from hardy_gauge.core.plans.model import MalformedPlan, Plan, Step

NAME = "probe protocol"
_FIGURES = (
    "rows_expected", "rows_seen", "rows_examined", "loops", "cost", "time_s", "pages_requested", "pages_read",
)  # fmt: skip
_KNOWN = {"operation", "words", "object", "index", "predicate", "steps", *_FIGURES}


def matches(document: object) -> bool:
    """Whether a document is a plan of the probe protocol."""
    return isinstance(document, dict) and ("root" in document or ("operation" in document and "steps" in document))


def read(document: Any) -> Plan:
    """The plan; MalformedPlan names what is wrong."""
    root = step(document.get("root", document), "root")
    return Plan(root, NAME, cost=root.cost, time_s=root.time_s)


def step(node: Any, where: str) -> Step:
    """One step and those below it; MalformedPlan names the field that is wrong."""
    if not isinstance(node, dict) or not isinstance(node.get("operation"), str):
        raise MalformedPlan(f"{where}: a step with an operation was expected", where)
    if unknown := set(node) - _KNOWN:
        raise MalformedPlan(f"{where}: unknown key {sorted(unknown)[0]}", f"{where}.{sorted(unknown)[0]}")
    figures: dict[str, Any] = {}
    for name in _FIGURES:
        value = node.get(name)
        if value is None:
            continue
        if isinstance(value, bool) or not isinstance(value, int | float) or value < 0:
            raise MalformedPlan(
                f"{where}.{name}: a number of at least 0 was expected, not {value!r}", f"{where}.{name}"
            )
        figures[name] = float(value)
    below = [step(child, f"{where}.steps.{i}") for i, child in enumerate(node.get("steps") or [])]
    return Step(
        operation=node["operation"], words=str(node.get("words") or node["operation"]), object=node.get("object"),
        index=node.get("index"), predicate=node.get("predicate"), steps=below, **figures,
    )  # fmt: skip
