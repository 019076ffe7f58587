"""Makes of the practice engine: the same physics, told in other words, and not all of it.

What is done with a server's answers must not rest on the words or the completeness of one engine. The first make says everything
in the words of the simulation; the second has wait events, settings and units of its own, and reports less.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field

import polars as pl

from hardy_gauge.probes import protocol as p
from practice_fleet.settings import Value

KIB = 1024


@dataclass(frozen=True)
class SettingWords:
    """A setting in a make's words: its name, and how many bytes its unit has where it is a size."""

    name: str
    unit: str | None = None
    size: int = 1


@dataclass(frozen=True)
class Make:
    """``events`` and ``settings`` by the simulation's own names; ``unreported`` are abilities, ``uncounted`` figures that it has not."""

    engine: str
    events: Mapping[str, str] = field(default_factory=dict)
    settings: Mapping[str, SettingWords] = field(default_factory=dict)
    unreported: frozenset[str] = frozenset()
    uncounted: frozenset[str] = frozenset()

    def event(self, name: str) -> str:
        return self.events.get(name, name)

    def says(self, setting: p.SettingValue) -> p.SettingValue:
        """A setting with its figures in this make's name and unit."""
        words = self.settings.get(setting.name)
        if words is None:
            return setting

        def figure(value: Value | None) -> Value | None:
            return value / words.size if isinstance(value, int | float) and not isinstance(value, bool) else value

        scaled = {name: figure(getattr(setting, name)) for name in ("value", "default", "minimum", "maximum")}
        return setting.model_copy(update={"name": words.name, "unit": words.unit or setting.unit, **scaled})

    def meant(self, name: str, value: Value) -> tuple[str, Value]:
        """The simulation's setting and value for this make's; Refused for a name that only another make has."""
        for own, words in self.settings.items():
            if words.name == name:
                sized = isinstance(value, int | float) and not isinstance(value, bool)
                return own, value * words.size if sized and words.size != 1 else value
            if own == name:
                raise p.Refused(f"no setting '{name}'; here it is {words.name}", f"settings.{name}")
        return name, value

    def table(self, kind: p.HistoryKind, frame: pl.DataFrame) -> pl.DataFrame:
        """A table of the history in this make's words, without what it does not report."""
        if kind == "sample" and len(frame):
            frame = frame.with_columns(pl.col("wait_event").replace(dict(self.events)))
        renamed = {f"wait.{own}": f"wait.{event}" for own, event in self.events.items()}
        frame = frame.rename({own: new for own, new in renamed.items() if own in frame.columns})
        return frame.drop(name for name in self.uncounted if name in frame.columns)

    def values(self, figures: Mapping[str, float]) -> dict[str, float]:
        return {name: value for name, value in figures.items() if name not in self.uncounted}


FIRST = Make("practice")
SECOND = Make(
    "practice-2",
    {
        "running": "on cpu", "run_queue": "ready", "page_read": "file read", "page_write": "file write", "temp_file": "scratch io",
        "swap_in": "paging", "log_flush": "redo sync", "log_full": "redo space", "row_lock": "tuple lock",
        "send_rows": "net send", "cache_latch": "buffer pin", "exchange": "interconnect", "worker_wait": "child wait",
        "object_lock": "relation lock",
    },
    {
        "buffer_cache_bytes": SettingWords("page_pool_kib", "KiB", KIB), "sort_memory_bytes": SettingWords("sort_area_kib", "KiB", KIB),
        "session_memory_bytes": SettingWords("session_area_kib", "KiB", KIB), "log_capacity_bytes": SettingWords("redo_capacity_kib", "KiB", KIB),
        "max_sessions": SettingWords("session_limit"), "random_read_cost": SettingWords("seek_weight"),
        "checkpoint_interval_s": SettingWords("sync_point_seconds"), "upkeep_enabled": SettingWords("cleaner"),
        "upkeep_threshold": SettingWords("cleaner_start_share"), "idle_transaction_timeout_s": SettingWords("idle_in_work_seconds"),
        "lock_timeout_s": SettingWords("lock_patience_seconds"), "commit_mode": SettingWords("redo_sync"),
    },
    frozenset({"call_begin", "objects"}),
    frozenset({"rows_examined", "pages_requested", "run_queue_s", "dead_rows_share"}),
)  # fmt: skip
MAKES = {make.engine: make for make in (FIRST, SECOND)}
