"""The handbook: articles about causes, settings, figures and wait families."""

from __future__ import annotations

from typing import Annotated

from fastapi import APIRouter, Query
from pydantic import BaseModel

from hardy_gauge.core.handbook.articles import Article, Group, articles, holding
from hardy_gauge.errors import NotFound

router = APIRouter(tags=["handbook"], prefix="/handbook")


class ArticleLine(BaseModel):
    key: str
    group: Group
    title: str
    opening: str


@router.get("")
def handbook(q: Annotated[str, Query(max_length=200)] = "") -> list[ArticleLine]:
    """All articles, or those that hold every word of ``q``."""
    return [
        ArticleLine(key=one.key, group=one.group, title=one.title, opening=one.opening)
        for one in holding(q.lower().split())
    ]


@router.get("/{group}/{key}")
def article(group: Group, key: str) -> Article:
    found = articles().get((group, key))
    if found is None:
        raise NotFound(f"the handbook has no article about {group} {key}")
    return found
