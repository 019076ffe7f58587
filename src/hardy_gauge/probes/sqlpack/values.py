"""From rows as a driver gives them to the protocol's values: settings in bytes and seconds, numbers as numbers."""

from __future__ import annotations

import re
from decimal import Decimal
from typing import Any

from hardy_gauge.probes.protocol import SettingValue

UNITS: dict[str, tuple[float, str]] = {
    "B": (1, "B"), "kB": (1024, "B"), "8kB": (8192, "B"), "MB": (2**20, "B"), "GB": (2**30, "B"),
    "us": (1e-6, "s"), "ms": (1e-3, "s"), "s": (1, "s"), "min": (60, "s"), "h": (3600, "s"), "d": (86400, "s"),
}  # fmt: skip
BLOCKS = re.compile(r"^(\d+)kB$")


def number(value: Any) -> float | None:
    """A driver's number as a float; None stays None."""
    return None if value is None else float(value)


def plain(row: dict[str, Any]) -> dict[str, Any]:
    """The row with decimals as floats, so that models take it."""
    return {name: float(value) if isinstance(value, Decimal) else value for name, value in row.items()}


def setting(row: dict[str, Any]) -> SettingValue:
    """One setting from columns name, value, default, unit, vartype, minimum, maximum, choices, context, applies, …

    Values with a unit are turned into bytes or seconds; −1 and other values below zero are words of the engine ("off",
    "as another setting") and stay as they are.
    """
    unit = row.get("unit")
    factor, neutral = _unit(unit) if unit else (1.0, None)
    kind = row.get("vartype", "string")

    def value(text: Any) -> float | int | str | bool | None:
        if text is None:
            return None
        if kind == "bool":
            return text in (True, "on", "true", "yes", "1")
        if kind in ("integer", "real"):
            found = float(text)
            scaled = found * factor if found > 0 else found
            return int(scaled) if kind == "integer" and scaled == int(scaled) else scaled
        return str(text)

    bounds = [value(row.get(name)) if kind in ("integer", "real") else None for name in ("minimum", "maximum")]
    now = value(row["value"])
    return SettingValue(
        name=row["name"], value="" if now is None else now, unit=neutral, default=value(row.get("default")),
        minimum=None if bounds[0] is None else float(bounds[0]), maximum=None if bounds[1] is None else float(bounds[1]),
        choices=list(row["choices"]) if row.get("choices") else None, applies=row["applies"],
        description=row.get("description") or "", context=row.get("context") or "", pending=bool(row.get("pending")),
        concerns=row.get("concerns") or "work",
    )  # fmt: skip


def _unit(unit: str) -> tuple[float, str | None]:
    if unit in UNITS:
        return UNITS[unit]
    blocks = BLOCKS.match(unit)
    return (float(blocks[1]) * 1024, "B") if blocks else (1.0, unit)
