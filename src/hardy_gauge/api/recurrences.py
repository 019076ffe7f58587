"""Jobs that come back by the calendar, and what people call them."""

from __future__ import annotations

from typing import Annotated

from fastapi import APIRouter, Path, Query
from pydantic import Field

from hardy_gauge.api.current import CurrentReader
from hardy_gauge.api.fields import Strict
from hardy_gauge.core.reference.recurrence_sheet import Recurrences
from hardy_gauge.queries.recurrences import recurrences as recurrences_of
from hardy_gauge.store.named_jobs import name_job

router = APIRouter(tags=["recurrences"], prefix="/recurrences")


@router.get("")
def recurrences(
    reader: CurrentReader,
    scope: str = "fleet",
    zone: Annotated[str, Query(max_length=60, description="time zone by which local days are counted")] = "UTC",
) -> Recurrences:
    """Jobs learnt from when statements ran, those whose last run was not as usual first."""
    return recurrences_of(reader, scope, zone)


class JobName(Strict):
    """``dismissed``: it is no job. Without a name and not dismissed, what was said is taken back."""

    name: Annotated[str, Field(max_length=80)] = ""
    dismissed: bool = False


@router.put("/{server}/{fingerprint}", status_code=204)
def name(server: str, fingerprint: Annotated[str, Path(max_length=80)], given: JobName, reader: CurrentReader) -> None:
    """Give a job a name, or dismiss it."""
    with reader.store.write() as session:
        name_job(session, server, fingerprint, given.name, given.dismissed)
