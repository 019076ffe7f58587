"""Reports are whole documents: figures in units people say, nothing of the data taken for markup."""

from __future__ import annotations

from types import SimpleNamespace

import pytest
from jinja2 import UndefinedError

from hardy_gauge.core.figures.formatting import figure
from hardy_gauge.reports.render import render

FIGURES = [
    (0.0042, "s", "4.20 ms"), (132e6, "B", "132 MB"), (570, "B/s", "570 B/s"),
    (0.714, "share", "71%"), (1234.0, "rows", "1,234 rows"), (7.92, "/s", "7.92 /s"),
]  # fmt: skip


@pytest.mark.parametrize(("value", "unit", "words"), FIGURES)
def test_figures(value: float, unit: str, words: str) -> None:
    assert figure(value, unit) == words


def content() -> dict[str, object]:
    row = SimpleNamespace(
        text="SELECT '<b>' FROM t", share=0.5, calls_per_s=1.0, time_per_call_s=0.1, reference_time_per_call_s=None
    )
    sheet = SimpleNamespace(
        sentence="x <script>alert(1)</script>",
        heaviest=[row],
        findings=SimpleNamespace(findings=[], unknown=[], nothing="No rule found anything wrong in this window."),
        reference_note="r",
        changes=[],
    )
    ledger = SimpleNamespace(sentence="s", seconds=3600.0, entries=[])
    return {
        "title": "t", "sheet": sheet, "ledger": ledger, "trials": [], "made_us": 0, "version": "1", "focus": "f",
    }  # fmt: skip


def test_texts_are_never_markup() -> None:
    page = render("server.html", content())
    assert "<script>" not in page and "&lt;script&gt;" in page and "&lt;b&gt;" in page
    assert "No rule found anything wrong" in page and "1970-01-01 00:00 UTC" in page


def test_a_missing_figure_is_an_error_not_a_blank() -> None:
    short = content()
    del short["ledger"]
    with pytest.raises(UndefinedError):
        render("server.html", short)
