"""Another text for a statement, beside the old one; nothing is run on the server."""

from __future__ import annotations

from typing import Annotated

from fastapi import APIRouter
from pydantic import Field

from hardy_gauge.api.current import CurrentReader, CurrentWindow
from hardy_gauge.api.fields import Strict
from hardy_gauge.core.proof.results import Proof
from hardy_gauge.diagnose.texts import TextsCompared, compare_texts, prove_texts
from hardy_gauge.queries.scope import server_named

router = APIRouter(tags=["plans"])
Text = Annotated[str, Field(min_length=1, max_length=200_000)]


class TwoTexts(Strict):
    old: Text
    new: Text


@router.post("/servers/{server}/texts")
def compared(server: str, texts: TwoTexts, reader: CurrentReader, window: CurrentWindow) -> TextsCompared:
    """Plans and checks of both, by the server's twin where there is one."""
    return compare_texts(reader, server_named(reader, server), texts.old, texts.new, window.focus)


@router.post("/servers/{server}/texts/proof")
def proof(server: str, texts: TwoTexts, reader: CurrentReader) -> Proof:
    """Run both on rows made from the server's statistics, in a database made for it on this machine. Takes some seconds to a minute."""
    return prove_texts(reader, server_named(reader, server), texts.old, texts.new)
