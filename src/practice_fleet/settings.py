"""The settings a practice server knows. Defaults are small, as on a fresh install."""

from __future__ import annotations

from collections.abc import Mapping

from hardy_gauge.probes.protocol import Refused, SettingValue

Value = float | int | str | bool
MIB = 2**20

# how plans are spread over the workers of a reporting cluster
SPREADING = {"parallel_workers", "exchange_partitions", "broadcast_limit_bytes", "scan_split_bytes"}

CATALOGUE: dict[str, SettingValue] = {
    s.name: s
    for s in [
        SettingValue(name="buffer_cache_bytes", value=0, unit="B", default=128 * MIB, minimum=MIB, maximum=2**42,
                     applies="at restart", description="memory for pages of tables and indexes"),
        SettingValue(name="sort_memory_bytes", value=0, unit="B", default=4 * MIB, minimum=64 * 1024, maximum=2**36,
                     applies="at once", description="memory of one sort before it uses temporary files"),
        SettingValue(name="read_ahead_pages", value=0, unit="pages", default=64, minimum=1, maximum=1024,
                     applies="at once", description="pages asked for at a time while scanning"),
        SettingValue(name="random_read_cost", value=0, unit=None, default=4.0, minimum=0.1, maximum=100,
                     applies="at once", description="the planner's cost of a page out of order; in order is 1"),
        SettingValue(name="max_sessions", value=0, unit="sessions", default=100, minimum=1, maximum=10_000,
                     applies="at restart", description="sessions that may be open at once"),
        SettingValue(name="session_memory_bytes", value=0, unit="B", default=6 * MIB, minimum=64 * 1024, maximum=2**34,
                     applies="at restart", description="memory that every open session holds"),
        SettingValue(name="log_capacity_bytes", value=0, unit="B", default=1024 * MIB, minimum=32 * MIB, maximum=2**42,
                     applies="at once", description="log kept since the last checkpoint; when used up, one starts"),
        SettingValue(name="checkpoint_interval_s", value=0, unit="s", default=300, minimum=10, maximum=86_400,
                     applies="at once", description="longest time between two checkpoints"),
        SettingValue(name="checkpoint_spread", value=0, unit="share", default=0.5, minimum=0.05, maximum=1.0,
                     applies="at once", description="share of the time to the next checkpoint over which one writes"),
        SettingValue(name="background_write_rate", value=0, unit="pages/s", default=200, minimum=0, maximum=100_000,
                     applies="at once", description="changed pages written ahead, so that sessions need not"),
        SettingValue(name="background_write_rate_max", value=0, unit="pages/s", default=200, minimum=0, maximum=100_000,
                     applies="at once", description="the same while the log's size forces checkpoints"),
        SettingValue(name="log_buffer_bytes", value=0, unit="B", default=16 * MIB, minimum=64 * 1024, maximum=2**32,
                     applies="at restart", description="log that waits in memory; a call that writes more waits for the volume meanwhile"),
        SettingValue(name="temp_table_memory_bytes", value=0, unit="B", default=16 * MIB, minimum=64 * 1024, maximum=2**36,
                     applies="at once", description="memory of one table of groups before it uses temporary files"),
        SettingValue(name="buffer_cache_partitions", value=0, unit="partitions", default=8, minimum=1, maximum=1024,
                     applies="at restart", description="parts of the buffer cache with a latch of their own"),
        SettingValue(name="cache_warm_fraction", value=0, unit="share", default=0.0, minimum=0, maximum=1,
                     applies="at once", description="share of the buffer cache that is read back in after a restart"),
        SettingValue(name="lock_timeout_s", value=0, unit="s", default=0, minimum=0, maximum=86_400,
                     applies="at once", description="longest wait for a lock before the call fails; 0 is without end"),
        SettingValue(name="deadlock_check_s", value=0, unit="s", default=1.0, minimum=0.001, maximum=600,
                     applies="at once", description="how long a call waits for a lock before it is looked whether it waits in a circle"),
        SettingValue(name="statement_timeout_s", value=0, unit="s", default=0, minimum=0, maximum=86_400,
                     applies="at once", description="longest time of a call before it fails; 0 is without end"),
        SettingValue(name="idle_transaction_timeout_s", value=0, unit="s", default=0, minimum=0, maximum=86_400,
                     applies="at once", description="longest idle time inside a transaction before its session is ended; 0 is without end"),
        SettingValue(name="upkeep_enabled", value="on", default="on", choices=["on", "off"],
                     applies="at once", description="whether dead rows are cleaned by themselves"),
        SettingValue(name="upkeep_threshold", value=0, unit="share", default=0.2, minimum=0.005, maximum=1,
                     applies="at once", description="dead rows of a table ÷ its rows at which it is cleaned"),
        SettingValue(name="parallel_workers", value=0, unit="tasks", default=2, minimum=1, maximum=256,
                     applies="at once", description="tasks of one call that a worker of a reporting cluster runs beside each other"),
        SettingValue(name="exchange_partitions", value=0, unit="partitions", default=16, minimum=1, maximum=100_000,
                     applies="at once", description="parts by key in which rows move between the workers of a reporting cluster"),
        SettingValue(name="broadcast_limit_bytes", value=0, unit="B", default=10 * MIB, minimum=0, maximum=2**40,
                     applies="at once", description="expected size up to which one side of a join is sent whole to every worker"),
        SettingValue(name="scan_split_bytes", value=0, unit="B", default=128 * MIB, minimum=64 * 1024, maximum=2**40,
                     applies="at once", description="part of a table that one task of a worker reads"),
        SettingValue(name="statistics_detail", value=0, unit="values", default=100, minimum=1, maximum=10_000,
                     applies="at once", description="common values and histogram buckets kept of a column"),
        SettingValue(name="commit_mode", value="wait", default="wait", choices=["wait", "background"],
                     applies="at once", description="whether a commit waits until its log is on the volume"),
    ]
}  # fmt: skip


def check(name: str, value: Value) -> Value:
    """The value if the setting may take it; Refused names the setting and its range otherwise."""
    known = CATALOGUE.get(name)
    if known is None:
        raise Refused(f"no setting '{name}'; known: {', '.join(CATALOGUE)}", f"settings.{name}")
    if known.choices is not None:
        if value not in known.choices:
            raise Refused(f"{name} is one of {', '.join(known.choices)}, not {value!r}", f"settings.{name}")
        return value
    if isinstance(value, bool) or not isinstance(value, int | float):
        raise Refused(f"{name} is a number in {known.unit or 'plain figures'}, not {value!r}", f"settings.{name}")
    if (known.minimum is not None and value < known.minimum) or (known.maximum is not None and value > known.maximum):
        raise Refused(
            f"{name} is {value:g}; it may be from {known.minimum:g} to {known.maximum:g} {known.unit or ''}".strip(),
            f"settings.{name}",
        )
    return value


def resolve(*layers: Mapping[str, Value]) -> dict[str, Value]:
    """Defaults overlaid by each layer in turn, every value checked."""
    values: dict[str, Value] = {name: s.default for name, s in CATALOGUE.items() if s.default is not None}
    for layer in layers:
        for name, value in layer.items():
            values[name] = check(name, value)
    return values
