"""Settings that harm: a value is changed, or is not what its peers have."""

from __future__ import annotations

from typing import ClassVar, Literal

from pydantic import Field, model_validator

from practice_fleet import settings as rules
from practice_fleet.conditions import Conditions
from practice_fleet.physics.memory import memory
from practice_fleet.scenario.clusters import DatabaseSpec
from practice_fleet.scenario.setting_values import value_of
from practice_fleet.scenario.units import Bytes
from practice_fleet.troubles.base import BaseTrouble, Said

MOST_MEMORY = 0.75


class _SettingTrouble(BaseTrouble):
    """One setting has another value from the start on."""

    setting_name: ClassVar[str] = ""

    def _setting(self) -> tuple[str, rules.Value]:
        raise NotImplementedError

    @property
    def restarts(self) -> bool:
        return rules.CATALOGUE[self._setting()[0]].applies == "at restart"

    def check(self, database: DatabaseSpec) -> None:
        name, value = self._setting()
        rules.check(name, value)

    def change(self, now: Conditions, hours: float) -> None:
        name, value = self._setting()
        now.settings[name] = value

    def says(self, server: str) -> list[Said]:
        name, value = self._setting()
        set_to = Said(0, "info", f"{name} set to {value}", "setting", name)
        return (
            [set_to]
            if self.runs_for_s is None
            else [set_to, Said(self.runs_for_s, "info", f"{name} set back", "setting", name)]
        )


class SettingHarmed(_SettingTrouble):
    """Any setting is changed to a value that harms."""

    cause: Literal["setting_harmed"]
    setting: str
    value: float | int | str | bool

    @model_validator(mode="after")
    def _value_can_be(self) -> SettingHarmed:
        self.value = value_of(self.setting, self.value)
        return self

    def _setting(self) -> tuple[str, rules.Value]:
        return self.setting, self.value


class SettingsDiffer(SettingHarmed):
    """One server of a cluster has another value than its peers."""

    cause: Literal["settings_differ"]  # type: ignore[assignment]


class CacheTooSmall(_SettingTrouble):
    """The buffer cache is made too small for what is asked again and again."""

    cause: Literal["cache_too_small"]
    size: Bytes = Field(64 * 2**20, description="size of the buffer cache")

    def _setting(self) -> tuple[str, rules.Value]:
        return "buffer_cache_bytes", self.size


class CacheTooLarge(CacheTooSmall):
    """The buffer cache takes the memory that the operating system cached files in."""

    cause: Literal["cache_too_large"]  # type: ignore[assignment]
    size: Bytes | None = Field(  # type: ignore[assignment]
        None, description="size of the buffer cache; left out: three quarters of the host's memory"
    )

    def check(self, database: DatabaseSpec) -> None:
        if self.size is not None:
            super().check(database)

    def change(self, now: Conditions, hours: float) -> None:
        now.settings["buffer_cache_bytes"] = self.size or int(MOST_MEMORY * now.host.memory)

    def says(self, server: str) -> list[Said]:
        return [Said(0, "info", "buffer_cache_bytes set", "setting", "buffer_cache_bytes")]


class LogTooSmall(_SettingTrouble):
    """The log is so small that checkpoints come all the time."""

    cause: Literal["log_too_small"]
    size: Bytes = Field(64 * 2**20, description="log capacity")

    def _setting(self) -> tuple[str, rules.Value]:
        return "log_capacity_bytes", self.size

    def says(self, server: str) -> list[Said]:
        often = Said(
            600, "warning", "checkpoints follow each other closely; each began because the log had reached its size"
        )
        return [*super().says(server), often]


class SortSpills(_SettingTrouble):
    """The memory of a sort is too small: sorts and hashes go to temporary files."""

    cause: Literal["sort_spills"]
    size: Bytes = Field(256 * 1024, description="memory of one sort")

    def _setting(self) -> tuple[str, rules.Value]:
        return "sort_memory_bytes", self.size


class BroadcastTooLarge(_SettingTrouble):
    """The limit for sending one side of a join to every worker is raised so far that large sides are sent."""

    acts_on = frozenset({"coordinator", "worker"})
    cause: Literal["broadcast_too_large"]
    size: Bytes = Field(2**40, description="limit of what is sent whole")

    def _setting(self) -> tuple[str, rules.Value]:
        return "broadcast_limit_bytes", self.size


class PartitionsWrong(_SettingTrouble):
    """Rows move between workers in far too few partitions, so that some have nothing to do, or in far too many."""

    acts_on = frozenset({"coordinator", "worker"})
    cause: Literal["partitions_wrong"]
    size: int = Field(1, ge=1, description="partitions")

    def _setting(self) -> tuple[str, rules.Value]:
        return "exchange_partitions", self.size


class MemoryOvercommitted(BaseTrouble):
    """Sessions and their buffers together need more than there is: the host swaps."""

    cause: Literal["memory_overcommitted"]
    size: float = Field(1.1, gt=1, le=3, description="memory needed ÷ memory there is")

    @property
    def restarts(self) -> bool:
        return True

    def change(self, now: Conditions, hours: float) -> None:
        others = memory(now.host, now.settings | {"session_memory_bytes": 0.0}, now.sessions, 0.0).used
        now.settings["session_memory_bytes"] = max(65536.0, (now.host.memory * self.size - others) / now.sessions)

    def says(self, server: str) -> list[Said]:
        return [Said(0, "info", "session_memory_bytes set", "setting", "session_memory_bytes")]
