"""Write the parts of the documentation that follow from the code: scenario keys, troubles, settings, JSON Schema."""

from __future__ import annotations

import json
from pathlib import Path

from practice_fleet.scenario.guide import json_schema, markdown

DOCS = Path(__file__).parents[1] / "docs"


def main() -> None:
    page = DOCS / "practice-fleet.md"
    written = markdown()
    head = page.read_text(encoding="utf-8").split(written.splitlines()[0])[0]
    page.write_text(head + written, encoding="utf-8")
    (DOCS / "scenario.schema.json").write_text(json.dumps(json_schema(), indent=1) + "\n", encoding="utf-8")


if __name__ == "__main__":
    main()
