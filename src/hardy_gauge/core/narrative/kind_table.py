"""What came out of a kind of trial as one table: a row for each value, step, query or attempt, with its figure and its ratio."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass
from typing import Any

from hardy_gauge.core.figures.formatting import share
from hardy_gauge.core.trials.figures import UNITS

Found = Mapping[str, Any]


@dataclass(frozen=True)
class KindRow:
    """``figure`` in ``unit`` of the table; ``ratio`` with its interval, ``shown`` where it does not hold 1. None where there is none."""

    name: str
    figure: float | None
    ratio: float | None
    low: float | None
    high: float | None
    shown: bool
    said: str


@dataclass(frozen=True)
class KindTable:
    """``names``, ``figure``, ``ratio`` and ``said`` are the titles of its columns."""

    title: str
    names: str
    figure: str
    unit: str
    ratio: str
    said: str
    rows: list[KindRow]


def kind_table(design: Found, result: Found | None) -> KindTable | None:
    """None of a comparison, whose candidates are shown as such, and before anything came out."""
    kind = (result or {}).get("kind", "")
    found = (result or {}).get(kind)
    if not found or kind not in TABLES:
        return None
    metric = str(design["goal"]["metric"])
    return TABLES[kind](found, metric, UNITS[metric])


def _ratio(found: Found | None) -> dict[str, Any]:
    if found is None:
        return {"ratio": None, "low": None, "high": None, "shown": False}
    low, high = found["low"], found["high"]
    return {"ratio": found["ratio"], "low": low, "high": high, "shown": low > 1 or high < 1}


def _steps(found: Found, metric: str, unit: str) -> KindTable:
    rows = [
        KindRow(
            one["name"], one["mean"], **_ratio(one["to_before"]),
            said=f"{one['limit']}, {share(one['limit_share'])}" if one["limit"] else "not known",
        )
        for one in found["stages"]
    ]  # fmt: skip
    return KindTable("One step after the other", "after", metric, unit, "to the step before", "what limits then", rows)


def _queries(found: Found, metric: str, unit: str) -> KindTable:
    texts, sets = found["texts"], found["sets"]
    rows = [
        KindRow(
            f"{one['statement']}: {texts[one['statement']]}", one["seconds"], **_ratio(one["to_first"]),
            said=f"{arm['arm']}{_failed(one)}",
        )
        for number in range(len(texts)) for arm in sets for one in [arm["queries"][number]]
    ]  # fmt: skip
    return KindTable("Each query alone", "query", "median time", "s", "to the first arm", "arm", rows)


def _failed(one: Found) -> str:
    told = f", failed {one['failed']} times" if one["failed"] else ""
    return told or ("" if one["runs"] else ", did not get its turn")


def _sweep(found: Found, metric: str, unit: str) -> KindTable:
    rows = [
        KindRow(one["value"], one["mean"], **_ratio(one["to_best"]), said="as good as the best" if one["as_good"] else "worse")
        for one in found["points"]
    ]  # fmt: skip
    return KindTable("Value by value", "value", metric, unit, "to the best", "as far as is shown", rows)


def _scaling(found: Found, metric: str, unit: str) -> KindTable:
    first = found["points"][0]["mean"]
    rows = [
        KindRow(f"{one['workers']:g}", one["mean"], one["mean"] / first if first else None, None, None, False, "")
        for one in found["points"]
    ]
    return KindTable("By the number of workers", "workers", metric, unit, "to the first", "", rows)


def _factorial(found: Found, metric: str, unit: str) -> KindTable:
    rows = [
        KindRow(
            " and ".join(one["of"]) + (" together" if len(one["of"]) > 1 else ""), one["variation"], one["times"], one.get("times_low"), one.get("times_high"), one["shown"],
            "shown" if one["shown"] else "not shown",
        )
        for one in found["effects"]
    ]  # fmt: skip
    return KindTable("Effects", "effect of", "part of the variation", "share", f"times {metric}", "", rows)


def _tuner(found: Found, metric: str, unit: str) -> KindTable:
    best = (found.get("best") or {}).get("settings")
    rows = [
        KindRow(
            ", ".join(f"{name} = {value}" for name, value in one["settings"].items()), one["ratio"] or None, one.get("expected"),
            one.get("low"), one.get("high"), False, _came_of(one, best),
        )
        for one in found["tried"]
    ]  # fmt: skip
    return KindTable("What was tried", "settings", "times as good", "", "expected", "", rows)


def _came_of(one: Found, best: Found | None) -> str:
    if one.get("failed"):
        return f"did not run: {one['failed']}"
    if not one["ratio"]:
        return "no execution ended"
    if not one["kept"]:
        return "did not keep the guardrails"
    return "the best" if one["settings"] == best else ""


TABLES: Mapping[str, Callable[[Found, str, str], KindTable]] = {
    "steps": _steps, "queries": _queries, "sweep": _sweep, "scaling": _scaling, "factorial": _factorial, "tuner": _tuner,
}  # fmt: skip
