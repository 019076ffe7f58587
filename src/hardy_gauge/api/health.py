"""Is the application up, does it do its work, and what does it count of its own."""

from __future__ import annotations

from typing import Annotated, Literal

from fastapi import APIRouter, Depends, Request, Response
from prometheus_client.openmetrics.exposition import CONTENT_TYPE_LATEST
from pydantic import BaseModel

from hardy_gauge import __version__
from hardy_gauge.api.current import CurrentSettings, state_of, who_of
from hardy_gauge.api.own_metrics import OwnMetrics
from hardy_gauge.queries.own_health import OwnFigure, OwnHealth, Readiness

router = APIRouter(tags=["health"])
root = APIRouter(tags=["health"])


class Health(BaseModel):
    status: Literal["ok"]
    demo: bool
    version: str


class OwnHealthOut(BaseModel):
    """What is wrong, and what it counts of its own work."""

    readiness: Readiness
    figures: list[OwnFigure]
    version: str


own_of = state_of("own_health", OwnHealth)
metrics_of = state_of("own_metrics", OwnMetrics)
CurrentHealth = Annotated[OwnHealth, Depends(own_of)]


@router.get("/health")
async def health(settings: CurrentSettings) -> Health:
    """It answers; it waits for nothing."""
    return Health(status="ok", demo=settings.demo, version=__version__)


@router.get("/ready", responses={503: {"model": Readiness}})
def ready(request: Request, response: Response, own: CurrentHealth) -> Readiness:
    """Whether it does its work: 503 when it does not. What is wrong is said to whoever is signed in."""
    found = own.readiness()
    response.status_code = 200 if found.ready else 503
    return found if who_of(request) is not None else Readiness(found.ready, "", [])


@router.get("/own-health")
def own_health(own: CurrentHealth) -> OwnHealthOut:
    return OwnHealthOut(readiness=own.readiness(), figures=own.figures().figures, version=__version__)


@root.get("/metrics", response_class=Response, responses={200: {"content": {"application/openmetrics-text": {}}}})
def metrics(request: Request) -> Response:
    """The application's own figures as OpenMetrics; a token of a viewer reads them."""
    return Response(metrics_of(request).text(), media_type=CONTENT_TYPE_LATEST)
