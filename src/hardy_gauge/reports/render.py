"""Documents from templates: one HTML file that needs nothing else."""

from __future__ import annotations

from collections.abc import Mapping
from datetime import UTC, datetime
from typing import Any

from jinja2 import Environment, PackageLoader, StrictUndefined, select_autoescape

from hardy_gauge.core.figures import formatting

_environment = Environment(
    loader=PackageLoader("hardy_gauge.reports"), autoescape=select_autoescape(default=True), undefined=StrictUndefined
)


def _figure(value: float | None, unit: str) -> str:
    return "none" if value is None else formatting.figure(value, unit)


def _time(at_us: int) -> str:
    return datetime.fromtimestamp(at_us / 1e6, UTC).strftime("%Y-%m-%d %H:%M UTC")


_environment.filters |= {"figure": _figure, "time": _time, "share": formatting.share, "duration": formatting.duration}


def render(template: str, content: Mapping[str, Any]) -> str:
    """The document; undefined names in a template are errors."""
    return _environment.get_template(template).render(**content)
