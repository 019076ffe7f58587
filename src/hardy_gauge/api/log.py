"""What the logs say, and rules of people about it."""

from __future__ import annotations

from typing import Annotated

from fastapi import APIRouter, Query
from pydantic import Field

from hardy_gauge.api.current import CurrentName, CurrentReader, CurrentWindow
from hardy_gauge.api.fields import Strict
from hardy_gauge.api.problems import RowId
from hardy_gauge.core.log.rules import Severity, Takes
from hardy_gauge.core.log.sheet import LogSheet
from hardy_gauge.queries.log_sheet import log_sheet
from hardy_gauge.store.log_rules import delete_log_rule, save_log_rule

router = APIRouter(tags=["log"], prefix="/log")


@router.get("")
def log(
    reader: CurrentReader,
    window: CurrentWindow,
    scope: str = "fleet",
    severity: Annotated[list[Severity] | None, Query(description="only messages that are taken so")] = None,
    search: Annotated[str, Query(max_length=200)] = "",
) -> LogSheet:
    """Messages by shape, the gravest first, with their counts over the focus."""
    return log_sheet(reader, window.focus, scope, severity or [], search)


class NewLogRule(Strict):
    """Messages that have all the words of ``pattern`` are taken as this from now on, whatever the server calls them."""

    pattern: Annotated[str, Field(min_length=1, max_length=200)]
    takes: Takes


@router.put("/rules", status_code=204)
def save(given: NewLogRule, reader: CurrentReader, name: CurrentName) -> None:
    """Make a rule; it also counts for what was said before."""
    with reader.store.write() as session:
        save_log_rule(session, given.pattern, given.takes, name, reader.clock())


@router.delete("/rules/{rule_id}", status_code=204)
def delete(rule_id: RowId, reader: CurrentReader) -> None:
    """Delete a rule: messages are taken as the server calls them again."""
    with reader.store.write() as session:
        delete_log_rule(session, rule_id)
