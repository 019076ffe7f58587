"""Capture rules: what is recorded of which servers, on screen, as YAML and as a command, and what a rule would miss."""

from __future__ import annotations

from typing import Annotated

from fastapi import APIRouter, Body, Request
from pydantic import BaseModel, Field

from hardy_gauge.api.current import CurrentReader
from hardy_gauge.api.fields import Strict
from hardy_gauge.capture.rules import STARTING_SETS, CaptureRule
from hardy_gauge.capture.settings_file import COMMAND, as_yaml, read_rules
from hardy_gauge.capture.targets import pause_servers, rules_of, set_rules
from hardy_gauge.core.narrative.setup import rules_sentence
from hardy_gauge.queries.missed import Missed, missed_by
from hardy_gauge.queries.reader import Reader
from hardy_gauge.queries.scope import FLEET, servers_in
from hardy_gauge.store.servers import find_server

router = APIRouter(tags=["capture rules"], prefix="/capture-rules")


class Rules(BaseModel):
    """All rules in order, the YAML that makes the same, and the command that applies it."""

    sentence: str
    rules: list[CaptureRule]
    words: list[str] = Field(description="what each rule records")
    yaml: str
    command: str = COMMAND
    starting_sets: dict[str, CaptureRule] = STARTING_SETS


class RuleList(Strict):
    rules: list[CaptureRule] = Field(max_length=500)


class Pause(Strict):
    servers: list[str] = Field(min_length=1, max_length=1000)
    paused: bool


def _rules(found: list[CaptureRule]) -> Rules:
    return Rules(
        sentence=rules_sentence(len(found)), rules=found, words=[rule.words() for rule in found], yaml=as_yaml(found)
    )


def _stored(reader: Reader) -> Rules:
    with reader.store.read() as session:
        return _rules(rules_of(session))


def _replace(reader: Reader, rules: list[CaptureRule], http: Request) -> Rules:
    with reader.store.write() as session:
        set_rules(session, rules, reader.clock())
    http.app.state.poke()
    return _stored(reader)


@router.get("")
def rules(reader: CurrentReader) -> Rules:
    return _stored(reader)


@router.put("")
def replace(request: RuleList, reader: CurrentReader, http: Request) -> Rules:
    """All rules in their order; the first that fits a server is its rule."""
    return _replace(reader, request.rules, http)


@router.put("/yaml")
def replace_yaml(
    text: Annotated[str, Body(media_type="text/plain", max_length=1_000_000)], reader: CurrentReader, http: Request
) -> Rules:
    """All rules from a file's text."""
    return _replace(reader, read_rules(text), http)


@router.post("/preview")
def preview(request: RuleList) -> Rules:
    """The YAML and the command of rules that are not stored."""
    return _rules(request.rules)


@router.post("/pause")
def pause(request: Pause, reader: CurrentReader, http: Request) -> Rules:
    """Record nothing new from the servers named, or follow the other rules there again."""
    with reader.store.write() as session:
        names = [find_server(session, name).name for name in request.servers]
        pause_servers(session, names, request.paused, reader.clock())
    http.app.state.poke()
    return _stored(reader)


@router.post("/missed")
def missed(rule: CaptureRule, reader: CurrentReader) -> Missed:
    """How much time lies in statements that are lighter a call than ``weighty_from``, on the servers it applies to."""
    now = reader.clock()
    servers = [s for s in servers_in(reader, FLEET) if rule.fits(s.name, s.cluster.name, s.labels, now)]
    return missed_by(reader, servers, rule.weighty_from)
