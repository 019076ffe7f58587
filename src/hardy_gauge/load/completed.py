"""A design as it was written, with all that its screens and words need."""

from __future__ import annotations

from typing import Any

from hardy_gauge.core.figures.units import written_duration
from hardy_gauge.load.design import TrialDesign

ONE_WORKER = {"kind": "closed", "workers": 1, "order": "file"}


def completed(document: dict[str, Any], design: TrialDesign) -> dict[str, Any]:
    """With what its kind and its standard set make of it, and what holds where nothing was written."""
    if not document.get("arms"):
        document = document | {"arms": [arm.model_dump(mode="json", exclude_defaults=True) for arm in design.arms]}
    run = {"seconds": written_duration(design.run.seconds), "blocks": design.run.blocks, "seed": design.run.seed}
    document = document | {"question": design.question, "run": run | (document.get("run") or {})}
    workload = document["workload"]
    workload = workload | {"arrival": workload.get("arrival") or ONE_WORKER}
    if design.workload.standard is not None:
        shipped = [one.model_dump(mode="json", exclude_defaults=True) for one in design.workload.statements]
        workload = workload | {"statements": shipped}
    return document | {"workload": workload}
