"""The set of indexes that a server's workload wants, asked of its twin; nothing is built."""

from __future__ import annotations

from typing import Annotated

from fastapi import APIRouter
from pydantic import Field

from hardy_gauge.api.current import CurrentReader
from hardy_gauge.api.fields import Strict
from hardy_gauge.core.indexes.sheet import IndexSet
from hardy_gauge.core.proof.results import IndexProof
from hardy_gauge.diagnose.index_set import IndexBasis, index_basis, index_set_of, prove_index_set

router = APIRouter(tags=["plans"])
MOST_BYTES = 2**50


class IndexBudget(Strict):
    """What the new indexes may take in all, and how many entries a second may be written to them."""

    bytes: Annotated[float, Field(gt=0, le=MOST_BYTES, allow_inf_nan=False)] = 2.0**30
    entries_per_s: Annotated[float | None, Field(ge=0, le=1e12, allow_inf_nan=False)] = None


@router.get("/servers/{server}/index-set")
def basis(server: str, reader: CurrentReader) -> IndexBasis:
    """What a set would be chosen for, or why none can be; nobody is asked."""
    return index_basis(reader, server)


@router.post("/servers/{server}/index-set")
def index_set(server: str, budget: IndexBudget, reader: CurrentReader) -> IndexSet:
    """Takes some seconds to a minute. Only what was recorded is read, and the twin on this machine asked."""
    return index_set_of(reader, server, budget.bytes, budget.entries_per_s)


@router.post("/servers/{server}/index-set/proof")
def proof(server: str, budget: IndexBudget, reader: CurrentReader) -> IndexProof:
    """The same set built on rows made from the server's statistics, and the workload called without and with it; up to some minutes."""
    return prove_index_set(reader, server, budget.bytes, budget.entries_per_s)
