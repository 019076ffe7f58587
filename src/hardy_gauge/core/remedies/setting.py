"""A change of a setting as a script of its engine, with the way back."""

from __future__ import annotations

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


def setting_remedy(
    engine: str, name: str, value: Value, before: Value, at_restart: bool, title: str, *cautions: str
) -> Remedy:
    """``name`` and values are the server's own, in its own unit; a restart is said, not done."""
    at_once, restarting = SCRIPTS.get(engine, PLAIN)
    template = restarting if at_restart else at_once
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
