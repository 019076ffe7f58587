"""The table of figures by version follows from the pack."""

from __future__ import annotations

from tools.pack_figures import figures_since, pack_table

from hardy_gauge.probes.sqlpack.pack import load_pack
from tests.conftest import ROOT


def test_the_page_is_as_the_pack_says() -> None:
    pack = load_pack("postgresql")
    assert pack_table(pack) in (ROOT / "docs" / "postgresql.md").read_text(encoding="utf-8"), "run `make docs`"


def test_versions_of_figures() -> None:
    """As the documentation of PostgreSQL has them: toplevel since 14, sessions of a database since 14."""
    found = {(part, name): words for part, name, words in figures_since(load_pack("postgresql"))}
    assert found["statements", "nested_calls"] == found["counters", "sessions_begun"] == "14 on"
    assert found["statements", "calls"] == found["sessions", "wait_event"] == "13 on"
    assert found["sessions", "statement_key"] == "14 on"
