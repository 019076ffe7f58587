"""A change of a setting as a script of its engine, with the way back."""

from __future__ import annotations

import math

from hardy_gauge.core.remedies.remedy import Remedy, SettingChange

Value = float | int | str | bool
# how each engine takes a setting; others take the plainest form
SCRIPTS = {
    "postgresql": (
        "ALTER SYSTEM SET {name} = {value};\nSELECT pg_reload_conf();",
        "ALTER SYSTEM SET {name} = {value};",
    ),
    "sqlite": ("PRAGMA {name} = {value};", "PRAGMA {name} = {value};"),
}
PLAIN = ("SET {name} = {value};", "SET {name} = {value};")
BYTES = {"b": 1, "kib": 1024, "kb": 1024, "mib": 2**20, "mb": 2**20, "8kb": 8192, "pages": 8192}
SECONDS = {"us": 1e-6, "ms": 1e-3, "s": 1.0, "min": 60.0}
# units that an engine takes behind a number, from the largest; a bare number would be in a unit of each setting's own
WRITTEN_BYTES = {"postgresql": (("GB", 2**30), ("MB", 2**20), ("kB", 1024))}
WRITTEN_US = {"postgresql": (("d", 86_400_000_000), ("h", 3_600_000_000), ("min", 60_000_000), ("s", 1_000_000), ("ms", 1000), ("us", 1))}  # fmt: skip


def own_value(engine: str, value: Value, unit: str | None) -> Value:
    """A number with its unit as the engine itself writes it, where it does; sizes are rounded up to a whole kibibyte. Zero and numbers below are
    words of the engine ("off", "as another setting") and stay as they are.
    """
    if isinstance(value, bool | str) or value <= 0 or unit is None:
        return value
    for written, known, whole in ((WRITTEN_BYTES, BYTES, 1), (WRITTEN_US, SECONDS, 1_000_000)):
        units, factor = written.get(engine), known.get(unit.lower())
        if units is not None and factor is not None:
            smallest = units[-1][1]
            count = max(1, math.ceil(round(value * factor * whole / smallest, 6))) * smallest
            name, size = next((name, size) for name, size in units if not count % size)
            return f"{count // size}{name}"
    return value


def setting_remedy(
    engine: str, name: str, value: Value, before: Value, unit: str | None, at_restart: bool, title: str, *cautions: str
) -> Remedy:
    """``name`` is the server's own; numbers are in ``unit``, and written as the engine takes them. A restart is said, not done."""
    at_once, restarting = SCRIPTS.get(engine, PLAIN)
    template = restarting if at_restart else at_once
    value, before = own_value(engine, value, unit), own_value(engine, before, unit)
    return Remedy(
        "setting change", title, template.format(name=name, value=_written(value)), template.format(name=name, value=_written(before)),
        "at restart" if at_restart else "at once", [], [], list(cautions), setting=SettingChange(name, value, before),
    )  # fmt: skip


def _written(value: Value) -> str:
    if isinstance(value, bool):
        return "on" if value else "off"
    return (
        f"'{value}'"
        if isinstance(value, str)
        else f"{value:g}"
        if isinstance(value, float) and value != int(value)
        else str(int(value))
    )
