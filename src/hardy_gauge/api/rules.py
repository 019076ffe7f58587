"""Capture rules: what is recorded of which servers, on screen, as YAML and as a command, and what a rule would miss."""

from __future__ import annotations

from typing import Annotated

import polars as pl
from fastapi import APIRouter, Body, Request
from pydantic import BaseModel, ConfigDict, Field

from hardy_gauge.api.data import CurrentData, Data
from hardy_gauge.api.problems import Problem
from hardy_gauge.api.window import Span, find_server, servers_in
from hardy_gauge.api.work import read_intervals
from hardy_gauge.capture.rules import STARTING_SETS, CaptureRule
from hardy_gauge.capture.settings_file import COMMAND, BadSettings, as_yaml, read_rules
from hardy_gauge.capture.wanted import rules_of, set_rules
from hardy_gauge.core.reference.words import share

router = APIRouter(tags=["rules"], prefix="/rules")
DAY_US = 86_400_000_000
BY_HAND = "paused by hand"


class Rules(BaseModel):
    """All rules in order, the YAML that makes the same, and the command that applies it."""

    rules: list[CaptureRule]
    yaml: str
    command: str
    starting_sets: dict[str, CaptureRule]


class RuleList(BaseModel):
    model_config = ConfigDict(extra="forbid")

    rules: list[CaptureRule] = Field(max_length=500)


class Pause(BaseModel):
    model_config = ConfigDict(extra="forbid")

    servers: list[str] = Field(min_length=1, max_length=1000)
    paused: bool


class Missed(BaseModel):
    """What recording weighty statements only would leave out, by the last day's statement intervals."""

    sentence: str
    missed_share: float | None
    missed_calls_share: float | None
    statements: int
    missed_statements: int


def _all(data: Data) -> Rules:
    with data.store.read() as session:
        rules = rules_of(session)
    return Rules(rules=rules, yaml=as_yaml(rules), command=COMMAND, starting_sets=STARTING_SETS)


@router.get("")
def rules(data: CurrentData) -> Rules:
    return _all(data)


@router.put("")
def replace(request: RuleList, data: CurrentData, http: Request) -> Rules:
    """All rules in their order; the first that fits a server is its rule."""
    names = [rule.name for rule in request.rules]
    if len(set(names)) < len(names):
        raise Problem(422, "Two rules of one name", "rules: every name is for one rule", "rules")
    with data.store.write() as session:
        set_rules(session, request.rules, data.clock())
    http.app.state.poke()
    return _all(data)


@router.put("/yaml")
def replace_yaml(
    text: Annotated[str, Body(media_type="text/plain", max_length=1_000_000)], data: CurrentData, http: Request
) -> Rules:
    """All rules from a file's text."""
    try:
        found = read_rules(text)
    except BadSettings as error:
        raise Problem(422, "The rules cannot be followed", str(error), error.field) from error
    return replace(RuleList(rules=found), data, http)


@router.post("/preview")
def preview(request: RuleList) -> Rules:
    """The YAML and the command of rules that are not stored."""
    return Rules(rules=request.rules, yaml=as_yaml(request.rules), command=COMMAND, starting_sets=STARTING_SETS)


@router.post("/pause")
def pause(request: Pause, data: CurrentData, http: Request) -> Rules:
    """Record nothing new from the servers named, or follow the other rules there again: a first rule that names them."""
    with data.store.write() as session:
        names = [find_server(session, name).name for name in request.servers]
        found = rules_of(session)
        others = [rule for rule in found if rule.name != BY_HAND]
        held = {name for rule in found if rule.name == BY_HAND for name in rule.applies_to}
        held = held | set(names) if request.paused else held - set(names)
        first = [CaptureRule(name=BY_HAND, applies_to=sorted(held), mode="reading")] if held else []
        set_rules(session, first + others, data.clock())
    http.app.state.poke()
    return _all(data)


@router.post("/missed")
def missed(rule: CaptureRule, data: CurrentData) -> Missed:
    """How much time lies in statements that are lighter a call than ``weighty_from``, on the servers it applies to."""
    now = data.clock()
    servers = [s for s in servers_in(data, "fleet") if rule.fits(s.name, s.cluster.name, s.labels, now)]
    frame = read_intervals(data, servers, Span(now - DAY_US, now))
    if frame.is_empty():
        words = "Nothing was recorded on these servers in the last day, so what would be missed cannot be told."
        return Missed(sentence=words, missed_share=None, missed_calls_share=None, statements=0, missed_statements=0)
    light = frame.filter(pl.col("time_s") < rule.weighty_from * pl.col("calls"))
    time, calls = (float(light[c].sum() or 0) / max(float(frame[c].sum() or 0), 1e-12) for c in ("time_s", "calls"))
    every = frame["statement"].n_unique()
    gone = every - frame.join(light, on=["server_id", "statement", "at_us"], how="anti")["statement"].n_unique()
    sentence = (
        f"It would have missed {share(time)} of the time and {share(calls)} of the calls of the last day: frequent short "
        f"statements, {gone} of {every} of them altogether."
    )
    return Missed(
        sentence=sentence, missed_share=time, missed_calls_share=calls, statements=every, missed_statements=gone
    )
