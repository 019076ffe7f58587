"""What may run in a sandbox, by name."""

from __future__ import annotations

JOBS = {
    "sqlite": "hardy_gauge.load.sqlite_player:play",
}
