"""What an engine's settings are in neutral names, from the table beside this file; without a file they are neutral already."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from functools import cache
from importlib import resources

from hardy_gauge.yaml_text import read_yaml

OF_TABLES = "table."


@dataclass(frozen=True)
class SettingMap:
    """``neutral`` names by the engine's own; ``own`` the other way round, options of tables as ``table.<name>``."""

    own: Mapping[str, str]

    def neutral(self, name: str) -> str:
        """The neutral name of a setting; empty where the table has none for it."""
        if not self.own:
            return name
        return next((neutral for neutral, mine in self.own.items() if mine == name), "")

    def option(self, neutral: str) -> str:
        """What the option of a table is called that does what a setting does for all."""
        return self.own.get(f"{OF_TABLES}{neutral}", neutral if not self.own else "")


@cache
def setting_map(engine: str) -> SettingMap:
    """The settings of an engine; one without a file has neutral names."""
    source = resources.files("hardy_gauge.probes") / "setting_maps" / f"{engine}.yaml"
    return SettingMap(read_yaml(source.read_text(encoding="utf-8")) if source.is_file() else {})
