"""Findings in SARIF 2.1.0 (OASIS, Static Analysis Results Interchange Format), which build servers show beside the lines."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from hardy_gauge.core.checks.check import Grade
from hardy_gauge.core.checks.files import UNREADABLE, FileFinding
from hardy_gauge.core.checks.registry import CHECKS

SCHEMA = "https://docs.oasis-open.org/sarif/sarif/v2.1.0/errata01/os/schemas/sarif-schema-2.1.0.json"
LEVELS: dict[Grade, str] = {"note": "note", "plan": "warning", "act": "error"}


def sarif(found: Sequence[FileFinding], version: str) -> dict[str, Any]:
    """One run with every check as a rule; results name their rule by place."""
    rules = [
        {
            "id": check.name, "name": "".join(word.capitalize() for word in check.name.split("_")),
            "shortDescription": {"text": check.title}, "fullDescription": {"text": check.why},
            "help": {"text": f"{check.remedy} {check.safe}"}, "defaultConfiguration": {"level": LEVELS[check.grade]},
            "properties": {"family": check.family, "precision": "high" if check.sure >= 0.85 else "medium"},
        }
        for check in CHECKS
    ]  # fmt: skip
    rules.append({"id": UNREADABLE, "name": "CannotBeRead", "shortDescription": {"text": "A statement cannot be read"}})
    places = {rule["id"]: place for place, rule in enumerate(rules)}
    results = [
        {
            "ruleId": one.check, "ruleIndex": places[one.check], "level": LEVELS[one.grade],
            "message": {"text": f"{one.message} {one.remedy}"},
            "locations": [
                {"physicalLocation": {"artifactLocation": {"uri": one.file}, "region": {"startLine": one.line, "snippet": {"text": one.statement}}}}
            ],
        }
        for one in found
    ]  # fmt: skip
    driver = {"name": "hardy-gauge check", "version": version, "rules": rules}
    return {"$schema": SCHEMA, "version": "2.1.0", "runs": [{"tool": {"driver": driver}, "results": results}]}
