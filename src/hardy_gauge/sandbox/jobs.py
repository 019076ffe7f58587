"""What may run in a sandbox, by name."""

from __future__ import annotations

JOBS = {
    "bundle": "hardy_gauge.capture.bundle_parts:serve",
    "import": "hardy_gauge.capture.imports.sandboxed_reading:serve",
    "parquet": "hardy_gauge.sandbox.decoder:serve",
    "sqlite": "hardy_gauge.load.sqlite_player:play",
}
