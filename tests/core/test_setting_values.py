"""Settings as an engine writes them: a bare number would be in a unit of each setting's own."""

from __future__ import annotations

import pytest

from hardy_gauge.core.remedies.setting import Value, own_value, setting_remedy


@pytest.mark.parametrize(
    ("value", "unit", "written"),
    [
        (16 * 2**20, "B", "16MB"), (2**30, "B", "1GB"), (4097, "B", "5kB"), (3 * 2**29, "B", "1536MB"), (1536, "kiB", "1536kB"),
        (60, "s", "1min"), (0.2, "s", "200ms"), (90, "s", "90s"), (0.0001, "s", "100us"), (86400, "s", "1d"), (1500, "ms", "1500ms"),
        (0, "s", 0), (-1, "B", -1), (4.0, None, 4.0), (True, None, True), ("on", "B", "on"), (12, "rows", 12),
    ],
)  # fmt: skip
def test_of_postgresql(value: Value, unit: str | None, written: Value) -> None:
    assert own_value("postgresql", value, unit) == written


def test_others_take_numbers_in_the_unit_that_they_report() -> None:
    assert own_value("stone", 16 * 2**20, "B") == 16 * 2**20


def test_the_script_and_its_way_back() -> None:
    made = setting_remedy("postgresql", "work_mem", 16 * 2**20, 4 * 2**20, "B", False, "More")
    assert made.script == "ALTER SYSTEM SET work_mem = '16MB';\nSELECT pg_reload_conf();"
    assert made.undo == "ALTER SYSTEM SET work_mem = '4MB';\nSELECT pg_reload_conf();"
    assert made.setting is not None and (made.setting.value, made.setting.before) == ("16MB", "4MB")
