"""What sizing aids are told of a server: its figures over weeks, its settings by neutral name, its host."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

from hardy_gauge.core.diagnosis.building import bytes_of, in_unit
from hardy_gauge.core.evidence.sources import SettingFact
from hardy_gauge.core.remedies.remedy import Remedy
from hardy_gauge.core.remedies.setting import setting_remedy


@dataclass(frozen=True)
class Busy:
    """A figure over weeks, by minute: its middle, what it is at most in 95 minutes of 100, and at most."""

    middle: float
    high: float
    most: float


@dataclass(frozen=True)
class Volume:
    """``bytes`` a second, None where none are reported; limits of requests and bytes a second that were bought, None where none is known. ``purpose``:
    data, log, …
    """

    name: str
    requests: Busy
    bytes: Busy | None
    requests_limit: float | None
    bytes_limit: float | None
    purpose: str = "data"


@dataclass(frozen=True)
class Known:
    """``figures`` by name, without those that are not reported; ``data_bytes``: of tables and indexes; ``read_s`` and ``read_bytes`` of a read of
    the data volume; ``read_pace``: bytes a second that it gives to one who reads.
    """

    server: str
    engine: str
    days: float
    memory_bytes: float | None
    cores: int | None
    figures: Mapping[str, Busy]
    settings: Mapping[str, SettingFact]
    volumes: tuple[Volume, ...]
    read_pace: float | None
    data_bytes: float | None = None
    read_s: float | None = None
    read_bytes: float | None = None

    def size(self, neutral: str) -> float | None:
        """A setting in bytes; None where the server reports no such size."""
        return bytes_of(self.settings.get(neutral))

    def number(self, neutral: str) -> float | None:
        """A setting that is a number, in its own unit."""
        one = self.settings.get(neutral)
        return None if one is None or isinstance(one.value, bool | str) else float(one.value)

    def change(self, neutral: str, value: float, title: str, *cautions: str, in_bytes: bool = True) -> Remedy | None:
        """The setting given another value, as a script of the engine; None where the server has no such setting, or it has that value."""
        one = self.settings.get(neutral)
        if one is None:
            return None
        wanted = in_unit(one, value) if in_bytes else round(value)
        if wanted == one.value:
            return None
        return setting_remedy(
            self.engine, one.name, wanted, one.value, one.unit, "restart" in one.applies, title, *cautions
        )  # fmt: skip
