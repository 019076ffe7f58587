"""The settings of the application as docs/operations.md lists them."""

from __future__ import annotations

from pydantic import SecretStr

from hardy_gauge.settings import AppSettings


def settings_table() -> str:
    """A row a setting: its variable, its default, what it is."""
    lines = ["", "| variable | default | what it is |", "|---|---|---|"]
    for name, field in AppSettings.model_fields.items():
        value = field.get_default(call_default_factory=True)
        shown = "" if value in (None, [], "") or isinstance(value, SecretStr) else str(value)
        shown = {"web": "the built interface", "data": "`~/.local/share/hardy-gauge`"}.get(name, shown)
        lines.append(f"| `HARDY_GAUGE_{name.upper()}` | {shown} | {field.description} |")
    return "\n".join(lines) + "\n"
