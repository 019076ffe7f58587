"""Volumes and processors that give less than they did, or are shared with others."""

from __future__ import annotations

from typing import Literal

from pydantic import Field

from practice_fleet.conditions import Conditions
from practice_fleet.troubles.base import BaseTrouble, Said


class DataVolumeSlow(BaseTrouble):
    """The data volume answers more slowly."""

    cause: Literal["data_volume_slow"]
    size: float = Field(4, gt=1, description="latency ÷ latency before")

    def change(self, now: Conditions, hours: float) -> None:
        now.change_data_volume(latency_s=now.host.data_volume.latency_s * self.size)


class LogVolumeSlow(BaseTrouble):
    """The log volume answers more slowly: every commit waits."""

    cause: Literal["log_volume_slow"]
    size: float = Field(6, gt=1, description="latency ÷ latency before")

    def change(self, now: Conditions, hours: float) -> None:
        now.change_log_volume(latency_s=now.host.log.latency_s * self.size)

    def says(self, server: str) -> list[Said]:
        return [Said(60, "warning", "a write of the log took longer than 1 s")]


class VolumeShared(BaseTrouble):
    """Others use the same storage and keep some of its channels busy."""

    cause: Literal["volume_shared"]
    size: float = Field(0.7, gt=0, lt=1, description="share of the channels that others take")

    def change(self, now: Conditions, hours: float) -> None:
        now.change_data_volume(neighbour_share=self.size)


class ProcessorSaturated(BaseTrouble):
    """Work besides the database takes cores away."""

    cause: Literal["processor_saturated"]
    size: float = Field(2, gt=0, description="cores that are taken")

    def change(self, now: Conditions, hours: float) -> None:
        now.background_cores += self.size


class HostSetting(BaseTrouble):
    """The host itself is set badly: it saves power, moves memory to swap early, or maps memory in small pages."""

    cause: Literal["host_setting"]
    what: Literal["power", "swap_tendency", "small_pages"] = Field("power", description="which setting of the host")
    size: float = Field(0.5, gt=0, le=1, description="power: speed of a core ÷ before; swap_tendency: the new one")

    @property
    def restarts(self) -> bool:
        return True

    def change(self, now: Conditions, hours: float) -> None:
        changes: dict[str, dict[str, object]] = {
            "power": {"core_speed": now.host.core_speed * self.size},
            "swap_tendency": {"swap_tendency": self.size},
            "small_pages": {"huge_pages": False},
        }
        now.host = now.host.model_copy(update=changes[self.what])
