"""Settings that an arm can change at a place, as the screens offer them: with default, range or choices, and when they take effect."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from functools import lru_cache
from threading import Lock
from typing import Any

from hardy_gauge.core.remedies.setting import Value, own_value
from hardy_gauge.lab.instance import Instance
from hardy_gauge.lab.programs import programs_for
from hardy_gauge.load.postgres.arms import CHOICES
from hardy_gauge.probes.sqlpack.values import setting

POSTGRESQL = "postgresql"
_asking = Lock()
SWITCH = ["off", "on"]


@dataclass(frozen=True)
class SettingChoice:
    """``default`` is as it is now where a server told it. ``number``: values are numbers, otherwise they are written with their unit, as the
    engine takes them. ``restart``: it takes effect at a start only.
    """

    name: str
    default: Value
    choices: list[str] | None
    number: bool
    range: str
    restart: bool
    description: str


def plain_choice(one: Mapping[str, Any]) -> SettingChoice:
    """Of a server that takes numbers in the units in which it reports them."""
    known = one["minimum"] is not None and one["maximum"] is not None
    within = f"{one['minimum']:,.0f} to {one['maximum']:,.0f} {one['unit'] or ''}".strip() if known else ""
    return SettingChoice(
        one["name"], one["default"] if one["default"] is not None else one["value"], one["choices"],
        not one["choices"], within, "restart" in one["applies"], one["description"],
    )  # fmt: skip


def postgresql_choice(one: Mapping[str, Any]) -> SettingChoice:
    """As PostgreSQL itself writes values: 4MB, 200ms, on."""
    now, unit = one["value"], one["unit"]
    if isinstance(now, bool):
        return SettingChoice(one["name"], "on" if now else "off", SWITCH, False, "", "restart" in one["applies"], one["description"])  # fmt: skip
    ends = [own_value(POSTGRESQL, end, unit) for end in (one["minimum"], one["maximum"]) if end is not None]
    within = " to ".join(f"{end:g}" if isinstance(end, float) else str(end) for end in ends)
    default = own_value(POSTGRESQL, now, unit)
    number = not one["choices"] and not isinstance(default, str) and unit is None
    return SettingChoice(one["name"], default, one["choices"], number, within, "restart" in one["applies"], one["description"])  # fmt: skip


def choices_of_programs() -> tuple[SettingChoice, ...]:
    """Of the newest PostgreSQL programs of this machine, asked of an instance that is made for it and taken away, which takes some seconds and is
    done once. Unsupported where there are none.
    """
    with _asking:
        return _asked()


@lru_cache(maxsize=1)
def _asked() -> tuple[SettingChoice, ...]:
    instance = Instance.made(programs_for())
    try:
        instance.start()
        with instance.connect() as session:
            cursor = session.execute(CHOICES.encode())
            names = [column.name for column in cursor.description or ()]
            rows = [dict(zip(names, row, strict=True)) for row in cursor.fetchall()]
        instance.stop()
    finally:
        instance.remove()
    return tuple(postgresql_choice(setting(row).model_dump()) for row in rows)
