"""Find anything: servers, clusters, statements, trials."""

from __future__ import annotations

from fastapi import APIRouter
from pydantic import BaseModel
from sqlalchemy import select

from hardy_gauge.api.data import CurrentData
from hardy_gauge.store.models import Cluster, Server, Statement, Trial

router = APIRouter(tags=["find"])
MOST = 8


class Hit(BaseModel):
    kind: str
    name: str
    words: str


@router.get("/find")
def find(data: CurrentData, q: str = "") -> list[Hit]:
    """Everything whose name or text holds all the words of ``q``."""
    words = q.lower().split()
    hits: list[Hit] = []
    with data.store.read() as session:
        for cluster in session.scalars(select(Cluster).order_by(Cluster.name)):
            hits.append(Hit(kind="cluster", name=cluster.name, words=f"cluster {cluster.name}"))
        for server in session.scalars(select(Server).order_by(Server.name)):
            hits.append(
                Hit(kind="server", name=server.name, words=f"{server.name}, {server.role} of {server.cluster.name}")
            )
        for trial in session.scalars(select(Trial).order_by(Trial.id.desc())):
            hits.append(Hit(kind="trial", name=str(trial.id), words=trial.title))
        for statement in session.scalars(select(Statement)):
            hits.append(Hit(kind="statement", name=statement.fingerprint, words=statement.text))
    found = [hit for hit in hits if all(word in f"{hit.kind} {hit.words}".lower() for word in words)]
    kept: list[Hit] = []
    for kind in ("server", "cluster", "trial", "statement"):
        kept += [hit for hit in found if hit.kind == kind][:MOST]
    return kept
