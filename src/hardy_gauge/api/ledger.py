"""The ledger: any dimension against any other, filters in and out, time or what statements count."""

from __future__ import annotations

import inspect
from collections.abc import Callable
from typing import Annotated, Any

from fastapi import APIRouter, Depends, Query, Request

from hardy_gauge.api.current import CurrentReader, CurrentWindow
from hardy_gauge.core.activity.ledger import DIMENSIONS, TIME, Dimension, Measure
from hardy_gauge.core.activity.ledger_sheet import Ledger
from hardy_gauge.queries.ledger import ledger as ledger_of
from hardy_gauge.queries.ledger_question import FILTER, WITHOUT, LedgerQuestion, check_filters

router = APIRouter(tags=["ledger"])
Values = dict[Dimension, list[str]]


def _values_of(prefix: str) -> Callable[..., Values]:
    """A dependency with a parameter for each dimension, such as "filter.user", which may be given several times."""

    def found(**given: list[str] | None) -> Values:
        return {name: values for name in DIMENSIONS if (values := given.get(name))}

    found.__signature__ = inspect.Signature(  # type: ignore[attr-defined]
        [
            inspect.Parameter(
                name,
                inspect.Parameter.KEYWORD_ONLY,
                default=None,
                annotation=Annotated[list[str] | None, Query(alias=f"{prefix}{name}")],
            )
            for name in DIMENSIONS
        ],
        return_annotation=Any,
    )
    return found


@router.get("/ledger")
def ledger(
    request: Request,
    reader: CurrentReader,
    window: CurrentWindow,
    filters: Annotated[Values, Depends(_values_of(FILTER))],
    without: Annotated[Values, Depends(_values_of(WITHOUT))],
    scope: str = "fleet",
    by: Annotated[Dimension, Query(description="dimension of the entries")] = "wait_family",
    against: Annotated[Dimension, Query(description="second dimension, of the map")] = "statement",
    through: Annotated[Dimension | None, Query(description="third dimension, stepped through")] = None,
    at: Annotated[str, Query(description="entry of the third dimension that is shown; all where none is given")] = "",
    measure: Annotated[Measure, Query(description="time, or what the server counts by statement")] = TIME,
) -> Ledger:
    """Where the time, the rows, the pages or the log of a scope went, by any dimension against any other."""
    check_filters(name for name in request.query_params if name.startswith((FILTER, WITHOUT)))
    return ledger_of(reader, window, scope, LedgerQuestion(by, against, through, at, measure, filters, without))
