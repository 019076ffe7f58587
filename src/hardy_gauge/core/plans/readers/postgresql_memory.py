"""Memory of a step of PostgreSQL, what it would have needed, and what it wrote to disk instead."""

from __future__ import annotations

from typing import Any

KB, PAGE = 1024.0, 8192.0


def memory_of(node: dict[str, Any]) -> dict[str, Any]:
    """Bytes: of a sort on disk the disk space is the least that it would have needed; a hash of several batches would have needed them
    all at once. ``spilled_bytes`` is 0 where the step says that it wrote nothing, None where it says nothing.
    """
    used = wanted = spilled = None
    if "Sort Space Used" in node:
        size, on_disk = _kb(node, "Sort Space Used"), node.get("Sort Space Type") == "Disk"
        used, wanted, spilled = (None, size, size) if on_disk else (size, size, 0.0)
    elif "Hash Batches" in node or "HashAgg Batches" in node:
        batches = float(node.get("Hash Batches") or node.get("HashAgg Batches") or 1)
        used = _kb(node, "Peak Memory Usage")
        wanted = used * max(batches, 1.0) if used is not None else None
        spilled = _kb(node, "Disk Usage") or (0.0 if batches <= 1 else None)
    elif "Disk Usage" in node:
        used, spilled = _kb(node, "Peak Memory Usage"), _kb(node, "Disk Usage")
        wanted = (used or 0.0) + (spilled or 0.0)
    written = node.get("Temp Written Blocks")
    if spilled is None and isinstance(written, int | float) and (used is not None or wanted is not None):
        spilled = float(written) * PAGE
    return {"memory_bytes": used, "memory_wanted_bytes": wanted, "spilled_bytes": spilled}


def _kb(node: dict[str, Any], name: str) -> float | None:
    value = node.get(name)
    return float(value) * KB if isinstance(value, int | float) and not isinstance(value, bool) and value >= 0 else None
