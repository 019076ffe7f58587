"""Plans: stored ones with own times, any text read, and "what if" asked of a server."""

from __future__ import annotations

from typing import Annotated

from fastapi import APIRouter, Body
from pydantic import BaseModel, Field

from hardy_gauge.api.current import CurrentReader, CurrentWindow
from hardy_gauge.api.fields import Strict
from hardy_gauge.core.plans.comparison import PlanComparison, compare_plans
from hardy_gauge.core.plans.model import MalformedPlan
from hardy_gauge.core.plans.readers import read_plan
from hardy_gauge.core.plans.sheet import PlanOut, PlanSource, plan_sheet
from hardy_gauge.diagnose.questions import plan_of, take_plan
from hardy_gauge.diagnose.selectivity import SelectivitySheet, selectivity_sheet
from hardy_gauge.probes.protocol import ExplainRequest, IndexSpec
from hardy_gauge.queries import plans as query
from hardy_gauge.queries.scope import server_named
from hardy_gauge.queries.statement_sheet import statement_of

router = APIRouter(tags=["plans"])


class WhatIfRequest(BaseModel):
    text: str = Field(min_length=1)
    add_indexes: list[IndexSpec] = Field(default_factory=list)
    drop_indexes: list[str] = Field(default_factory=list)
    plan_key: str | None = Field(None, description="a stored plan to compare with")


@router.get("/servers/{server}/plans/{plan_key}")
def stored_plan(server: str, plan_key: str, reader: CurrentReader) -> PlanOut:
    return plan_sheet(*query.stored_plan(reader, server, plan_key))


@router.get("/servers/{server}/plans/{plan_key}/against/{other}")
def plans_beside(
    server: str, plan_key: str, other: str, reader: CurrentReader, window: CurrentWindow
) -> query.PlansBeside:
    """Two stored plans beside each other, and what a call with each took in the focus."""
    return query.plans_beside(reader, server, plan_key, other, window.focus)


class TwoPlans(Strict):
    """Two plans in any known format."""

    first: Annotated[str, Field(min_length=1, max_length=5_000_000)]
    second: Annotated[str, Field(min_length=1, max_length=5_000_000)]


@router.post("/plans/compare")
def compare(plans: TwoPlans) -> PlanComparison:
    """Two plans given as text, their steps matched; nothing is stored."""
    found = []
    for part, text in (("first", plans.first), ("second", plans.second)):
        try:
            found.append(read_plan(text))
        except MalformedPlan as error:
            raise MalformedPlan(f"{part}: {error.detail}", part) from error
    return compare_plans(found[0], found[1])


@router.post("/plans/read")
def read(text: Annotated[str, Body(media_type="text/plain", max_length=5_000_000)]) -> PlanOut:
    """Any plan in a known format, given as text; nothing is stored."""
    return plan_sheet(read_plan(text))


class TakenPlanOut(BaseModel):
    """The plan that a server gave, which is kept and can be looked at."""

    server: str
    plan_key: str


@router.post("/servers/{server}/statements/{fingerprint}/plan")
def ask_plan(server: str, fingerprint: str, reader: CurrentReader) -> TakenPlanOut:
    """Ask the server for the plan of a statement now, and keep it. Nothing of the text is run."""
    owner, statement = server_named(reader, server), statement_of(reader, fingerprint)
    return TakenPlanOut(server=server, plan_key=take_plan(reader.store, owner, statement, reader.clock()))


@router.post("/servers/{server}/statements/{fingerprint}/selectivity")
def selectivity(server: str, fingerprint: str, reader: CurrentReader, window: CurrentWindow) -> SelectivitySheet:
    """Ask the server's planner, or its twin, what each condition selects, and count plain conditions in some pages drawn at random,
    read-only; nothing else of the text is run.
    """
    return selectivity_sheet(reader, server_named(reader, server), fingerprint, window.focus)


@router.post("/servers/{server}/explain")
def what_if(server: str, request: WhatIfRequest, reader: CurrentReader) -> PlanOut:
    """The plan the server would use, with indexes that do not exist yet or without some that do."""
    asked = ExplainRequest(**request.model_dump(exclude={"plan_key"}))
    before = query.stored_plan(reader, server, request.plan_key)[0] if request.plan_key else None
    plan = plan_of(reader.store, server_named(reader, server), asked)
    return plan_sheet(plan, PlanSource(server=server, text=request.text), before)
