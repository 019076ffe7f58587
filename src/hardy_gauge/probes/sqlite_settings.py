"""The settings of SQLite that a trial may change, with their ranges and when they take effect."""

from __future__ import annotations

from hardy_gauge.probes.protocol import Refused, SettingValue

Value = float | int | str | bool

SETTINGS: dict[str, SettingValue] = {
    s.name: s
    for s in [
        SettingValue(
            name="cache_size", value=-2000, unit="pages, or KiB when negative", default=-2000, minimum=-4_194_304,
            maximum=1_000_000, applies="at once", description="memory for pages, of each connection",
        ),
        SettingValue(
            name="journal_mode", value="delete", default="delete", applies="at restart",
            choices=["delete", "truncate", "persist", "memory", "wal", "off"], description="how a commit is made safe",
        ),
        SettingValue(
            name="synchronous", value="full", default="full", choices=["off", "normal", "full", "extra"],
            applies="at once", description="how far a commit waits for the storage",
        ),
        SettingValue(
            name="page_size", value=4096, unit="B", default=4096, applies="at restart",
            choices=["512", "1024", "2048", "4096", "8192", "16384", "32768", "65536"],
            description="size of a page; changing it rewrites the file",
        ),
        SettingValue(
            name="mmap_size", value=0, unit="B", default=0, minimum=0, maximum=2**40, applies="at once",
            description="how much of the file is read through the memory map",
        ),
    ]
}  # fmt: skip


def check(name: str, value: Value) -> Value:
    """The value if the setting may take it; Refused names the setting and what would be right."""
    known = SETTINGS.get(name)
    if known is None:
        raise Refused(f"no setting '{name}'; a SQLite trial may change {', '.join(SETTINGS)}", f"settings.{name}")
    if known.choices is not None:
        if str(value).lower() not in known.choices:
            raise Refused(f"{name} is one of {', '.join(known.choices)}, not {value!r}", f"settings.{name}")
        return str(value).lower()
    whole = isinstance(value, int) and not isinstance(value, bool)
    if not whole or not (known.minimum or 0) <= float(value) <= (known.maximum or 0):
        raise Refused(
            f"{name} is a whole number from {known.minimum:.0f} to {known.maximum:.0f} ({known.unit}), not {value!r}",
            f"settings.{name}",
        )
    return value
