"""Settings in a scenario: sizes with units, and every value checked where it stands in the file."""

from __future__ import annotations

from hardy_gauge.probes.protocol import Refused
from practice_fleet import settings as rules
from practice_fleet.scenario.units import Misplaced, Settings, parse_bytes


def value_of(name: str, value: rules.Value) -> rules.Value:
    """A setting's value, a size perhaps as "1 GiB"; ValueError says what would be right."""
    known = rules.CATALOGUE.get(name)
    if known is not None and known.unit == "B":
        value = parse_bytes(value)  # type: ignore[assignment]
    try:
        return rules.check(name, value)
    except Refused as error:
        raise ValueError(str(error)) from error


def checked(settings: Settings) -> Settings:
    """All of a cluster's or a server's settings; Misplaced names the one that cannot be."""
    found: Settings = {}
    for name, value in settings.items():
        try:
            found[name] = value_of(name, value)
        except ValueError as error:
            raise Misplaced(str(error), "settings", name) from error
    return found
