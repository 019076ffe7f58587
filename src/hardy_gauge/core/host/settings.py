"""Settings of a host's system that concern databases: what is advised, and why. Common practice."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

MOST_TENDENCY = 10.0
SAVING = ("powersave", "conservative")
# what each should be, and why
ADVISED: Mapping[str, tuple[str, str]] = {
    "swap_tendency": ("0 or 1", "memory of a database is used again, however long it was not"),
    "power_saving": ("performance", "cores that save power answer late"),
}


@dataclass(frozen=True)
class HostSetting:
    """A setting of the host's system, with what is advised; ``well`` is None where nothing is."""

    name: str
    value: str
    advised: str
    why: str
    well: bool | None


def saves_power(settings: Mapping[str, str]) -> bool:
    return settings.get("power_saving", "").strip().lower() in SAVING


def swaps_early(settings: Mapping[str, str]) -> float | None:
    """The tendency to swap, where it is more than advised; None where it is not, or is no number."""
    try:
        tendency = float(settings.get("swap_tendency", "0"))
    except ValueError:
        return None
    return tendency if tendency > MOST_TENDENCY else None


def settings_of(found: Mapping[str, str]) -> list[HostSetting]:
    """All that the host tells, by name."""
    rows = []
    for name, value in sorted(found.items()):
        advised, why = ADVISED.get(name, ("", ""))
        rows.append(HostSetting(name, value, advised, why, _well(name, found) if advised else None))
    return rows


def _well(name: str, found: Mapping[str, str]) -> bool:
    return not saves_power(found) if name == "power_saving" else swaps_early(found) is None
