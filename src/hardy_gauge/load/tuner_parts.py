"""The parts of a trial's file that a search for settings is given."""

from __future__ import annotations

from typing import Literal

from pydantic import Field, model_validator

from hardy_gauge.core.trials.tuner import Choice, Range
from hardy_gauge.load.parts import Part, Value

CONTROL_EACH = 3  # attempts between two runs of the control


class TunedSetting(Part):
    """A setting with a range, by its logarithm where ``scale: log`` (as sizes want), or with choices. ``unit`` is written behind numbers."""

    setting: str = Field(min_length=1)
    low: float | None = Field(None, allow_inf_nan=False)
    high: float | None = Field(None, allow_inf_nan=False)
    scale: Literal["linear", "log"] = "linear"
    whole: bool = True
    unit: str = Field("", max_length=8)
    choices: list[Value] = Field(default_factory=list, max_length=12)

    @model_validator(mode="after")
    def _one_kind(self) -> TunedSetting:
        if bool(self.choices) == (self.low is not None or self.high is not None):
            raise ValueError("low and high, or choices, were expected")
        if not self.choices:
            if self.low is None or self.high is None or self.low >= self.high:
                raise ValueError("low must lie below high")
            if self.scale == "log" and self.low <= 0:
                raise ValueError("low must be above zero for a logarithmic scale")
        return self

    def part(self) -> Range | Choice:
        """As the tuner takes it."""
        if self.choices:
            return Choice(self.setting, tuple(self.choices))
        assert self.low is not None and self.high is not None
        return Range(self.setting, self.low, self.high, self.scale == "log", self.whole, self.unit)


class KnownPoint(Part):
    """Settings that an earlier search tried here, with what came of it: as ``tuner.tried`` of its result has them."""

    settings: dict[str, Value]
    ratio: float = Field(ge=0, allow_inf_nan=False, description="to the control; 0 where no execution ended")
    kept: bool = True


class TunerSpec(Part):
    """``runs`` are at most tried; what is ``known`` from an earlier search counts among what was tried, so that one can be taken up again."""

    settings: list[TunedSetting] = Field(min_length=1, max_length=8)
    runs: int = Field(12, ge=4, le=100)
    known: list[KnownPoint] = Field(default_factory=list, max_length=500)

    @model_validator(mode="after")
    def _consistent(self) -> TunerSpec:
        names = {one.setting for one in self.settings}
        if len(names) != len(self.settings):
            raise ValueError("settings: every setting is named once")
        for number, point in enumerate(self.known):
            if set(point.settings) != names:
                raise ValueError(f"known.{number}.settings: {', '.join(sorted(names))} were expected")
            for one in self.settings:
                try:
                    places = one.part().places(point.settings[one.setting])
                except ValueError as error:
                    raise ValueError(f"known.{number}.settings.{one.setting}: {error}") from error
                if not all(-1e-9 <= place <= 1 + 1e-9 for place in places):
                    raise ValueError(f"known.{number}.settings.{one.setting}: it lies outside of the range")
        return self

    def controls(self) -> int:
        """Runs of the control in the search: before the first attempt and after every few."""
        return 1 + (self.runs - 1) // CONTROL_EACH

    def space(self) -> list[Range | Choice]:
        """What is searched."""
        return [one.part() for one in self.settings]
