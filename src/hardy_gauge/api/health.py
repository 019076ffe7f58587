"""Is the application up, and is its fleet the practice fleet."""

from __future__ import annotations

from typing import Literal

from fastapi import APIRouter
from pydantic import BaseModel

from hardy_gauge import __version__
from hardy_gauge.api.current import CurrentSettings

router = APIRouter(tags=["health"])


class Health(BaseModel):
    status: Literal["ok"]
    demo: bool
    version: str


@router.get("/health")
def health(settings: CurrentSettings) -> Health:
    return Health(status="ok", demo=settings.demo, version=__version__)
