"""Write the parts of the documentation that follow from the code: scenario keys, troubles, settings, JSON Schema, permissions,
checks of statements.
"""

from __future__ import annotations

import json
from pathlib import Path

from hardy_gauge.probes.sqlpack.pack import load_pack
from practice_fleet.scenario.guide import json_schema, markdown
from tools.checks_table import DOC as CHECKS
from tools.checks_table import page as checks_page
from tools.pack_figures import pack_table
from tools.permissions import table
from tools.practice_traces import DOC as TRACES
from tools.practice_traces import page as practice_traces
from tools.settings_table import settings_table

DOCS = Path(__file__).parents[1] / "docs"
SETTINGS = "## Settings"
VERSIONS = "## Figures by version"


def main() -> None:
    page = DOCS / "practice-fleet.md"
    written = markdown()
    head = page.read_text(encoding="utf-8").split(written.splitlines()[0])[0]
    page.write_text(head + written, encoding="utf-8")
    TRACES.write_text(practice_traces(), encoding="utf-8")
    page = DOCS / "operations.md"
    head = page.read_text(encoding="utf-8").partition(SETTINGS)[0]
    page.write_text(f"{head}{SETTINGS}\n{settings_table()}", encoding="utf-8")
    page = DOCS / "postgresql.md"
    head = page.read_text(encoding="utf-8").partition(VERSIONS)[0]
    page.write_text(f"{head}{VERSIONS}\n{pack_table(load_pack('postgresql'))}", encoding="utf-8")
    CHECKS.write_text(checks_page(), encoding="utf-8")
    (DOCS / "permissions.md").write_text(table(), encoding="utf-8")
    (DOCS / "scenario.schema.json").write_text(json.dumps(json_schema(), indent=1) + "\n", encoding="utf-8")


if __name__ == "__main__":
    main()
