"""Stored workloads, to play in trials."""

from __future__ import annotations

from typing import Any

from fastapi import APIRouter

from hardy_gauge.api.current import CurrentReader
from hardy_gauge.api.problems import RowId
from hardy_gauge.queries.trials import WorkloadOut, workload_draft, workloads_of

router = APIRouter(tags=["workloads"], prefix="/workloads")


@router.get("")
def workloads(reader: CurrentReader) -> list[WorkloadOut]:
    """Workloads that were imported, the newest first."""
    return workloads_of(reader)


@router.get("/{workload_id}/design")
def design(workload_id: RowId, reader: CurrentReader) -> dict[str, Any]:
    """A trial's design that plays a workload on a lab server, to be changed before it is started."""
    return workload_draft(reader, workload_id)
