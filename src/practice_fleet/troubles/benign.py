"""What looks like trouble and is none: releases, seasons, upkeep that comes back each week, restarts, trials in the lab."""

from __future__ import annotations

from typing import Literal

from pydantic import Field

from practice_fleet.conditions import Conditions
from practice_fleet.troubles.base import MINUTE_US, BaseTrouble, Said
from practice_fleet.troubles.members import IndexBuild

WEEK_US = 7 * 24 * 60 * MINUTE_US


class Release(BaseTrouble):
    """Benign: an application is released, and nothing that concerns the server changes."""

    cause: Literal["release_without_effect"]
    service: str = Field(description="the application")

    def change(self, now: Conditions, hours: float) -> None:
        """Nothing."""

    def says(self, server: str) -> list[Said]:
        return [Said(0, "info", f"{self.service} connected with a new version", "software", self.service)]


class SeasonalGrowth(BaseTrouble):
    """Benign: there is more to do each day, for everyone alike."""

    cause: Literal["seasonal_growth"]
    size: float = Field(0.01, gt=0, le=0.5, description="more calls each day, as a share")

    @property
    def grows(self) -> bool:
        return True

    def change(self, now: Conditions, hours: float) -> None:
        for statement in now.statements:
            now.speed_up(statement, 1 + self.size * hours / 24)


class IndexUpkeep(IndexBuild):
    """Benign: an index is built anew each week, at the hour of its beginning."""

    cause: Literal["index_upkeep"]  # type: ignore[assignment]
    lasts_minutes: float = Field(30, gt=0, le=1440, description="how long it takes each time")

    def stage(self, at_us: int, anchor_us: int) -> int:
        return int((at_us - self.start_us(anchor_us)) % WEEK_US < self.lasts_minutes * MINUTE_US)

    def hours(self, at_us: int, anchor_us: int) -> float:
        return float(self.stage(at_us, anchor_us))

    def moments(self, anchor_us: int, since_us: int, until_us: int) -> list[int]:
        start = self.start_us(anchor_us)
        first = start + max(0, (since_us - start) // WEEK_US) * WEEK_US
        begins = range(first, until_us, WEEK_US)
        return [
            *super().moments(anchor_us, since_us, until_us),
            *begins,
            *(int(at + self.lasts_minutes * MINUTE_US) for at in begins),
        ]

    def change(self, now: Conditions, hours: float) -> None:
        if hours:
            super().change(now, hours)

    def says(self, server: str) -> list[Said]:
        [said] = super().says(server)
        return [Said(said.after_s + week * WEEK_US / 1e6, "info", said.text, "schema", self.index) for week in range(9)]


class WarmRestart(BaseTrouble):
    """Benign: the server is restarted, and reads its cache back in before it serves."""

    cause: Literal["restart_with_warm_cache"]

    def restart_moments(self, anchor_us: int) -> list[int]:
        return [self.start_us(anchor_us)]

    @property
    def restarts_warm(self) -> float:
        return 1.0


class LabTrial(BaseTrouble):
    """Benign: somebody tries something on a lab server, which otherwise has little or nothing to do."""

    cause: Literal["lab_trial"]
    size: float = Field(1.0, gt=0, description="its load ÷ that of the server it is a copy of")

    def change(self, now: Conditions, hours: float) -> None:
        now.load = self.size
