"""The log by shape, its counts over time, and rules of people, from a store whose messages are known."""

from __future__ import annotations

from typing import Any

import polars as pl
import pytest

from hardy_gauge.core.diagnosis.rules.work.watched_message import WatchedMessage
from hardy_gauge.core.log.rules import LogRule, taken_as
from hardy_gauge.core.time.span import MINUTE_US
from hardy_gauge.core.time.window import Window
from hardy_gauge.errors import InvalidInput, NotFound
from hardy_gauge.queries.evidence import evidence_of
from hardy_gauge.queries.log_sheet import log_sheet
from hardy_gauge.queries.scope import server_named
from hardy_gauge.store.database import Store
from hardy_gauge.store.log_rules import delete_log_rule, log_rules, save_log_rule
from tests.queries.builder import HOUR, NOW, Built

REPORTS = ["messages"]


def said(built: Built, server: int, severity: str, shape: str, count: int, minutes_ago: int, **more: Any) -> None:
    row = {
        "at_us": NOW - minutes_ago * MINUTE_US, "severity": severity, "code": "23505", "shape": shape, "user": "u", "service": "loans",
        "database": "d", "detail": "", "count": count, "statement": -1,
    } | more  # fmt: skip
    built.rows(server, "message", pl.DataFrame([row], schema_overrides={"statement": pl.Int32}))


@pytest.fixture
def built(store: Store) -> Built:
    built = Built(store)
    a, b = built.server("a", abilities=REPORTS), built.server("b", abilities=REPORTS)
    statement = built.statement("INSERT INTO loan VALUES (?)")
    said(built, a, "error", "duplicate key $1", 3, 50, statement=statement)
    said(built, b, "error", "duplicate key $1", 4, 10, service="holds")
    said(built, a, "warning", "checkpoints come often", 9, 20)
    said(built, a, "info", "checkpoint complete", 2, 5)
    return built


def test_shapes_their_counts_and_whose_they_are(built: Built) -> None:
    found = log_sheet(built.reader, HOUR, "fleet")
    first = found.shapes[0]
    assert [(one.severity, one.count) for one in found.shapes] == [("error", 7), ("warning", 9), ("info", 2)]
    assert (first.servers, first.services, first.users) == (["a", "b"], ["holds", "loans"], ["u"])
    assert first.text == "INSERT INTO loan VALUES (?)"
    assert all(sum(one.counts) == one.count and len(one.counts) == len(found.at_us) for one in found.shapes)
    assert found.severities == {"error": 7, "warning": 9, "info": 2}
    assert (
        found.sentence
        == "The log of fleet has 7 errors and 9 warnings; most often “duplicate key $1”, 7×, last at 14:50 on 2 servers."
    )


def test_severity_and_search_narrow(built: Built) -> None:
    assert [one.shape for one in log_sheet(built.reader, HOUR, "fleet", ["warning"]).shapes] == [
        "checkpoints come often"
    ]
    assert [one.shape for one in log_sheet(built.reader, HOUR, "fleet", search="HOLDS key").shapes] == [
        "duplicate key $1"
    ]
    assert log_sheet(built.reader, HOUR, "b").severities["error"] == 4


def test_a_rule_changes_how_messages_are_taken_also_those_of_before(store: Store, built: Built) -> None:
    with store.write() as session:
        save_log_rule(session, " duplicate  key ", "ignore", "ada", NOW)
        save_log_rule(session, "complete", "warning", "ada", NOW)
    found = log_sheet(built.reader, HOUR, "fleet")
    assert found.ignored == 7 and found.severities == {"error": 0, "warning": 11, "info": 0}
    assert [(one.shape, one.said, one.severity) for one in found.shapes if one.rule] == [
        ("checkpoint complete", "info", "warning")
    ]
    with store.write() as session:
        for rule in log_rules(session):
            delete_log_rule(session, rule.id)
    assert log_sheet(built.reader, HOUR, "fleet").severities["error"] == 7


def test_the_last_rule_that_holds_counts_and_one_pattern_is_one_rule(store: Store) -> None:
    rules = [LogRule(1, "key", "ignore", ""), LogRule(2, "DUPLICATE", "warning", "")]
    assert taken_as(rules, "error", "duplicate key", "")[0] == "warning"
    assert taken_as(rules, "error", "foreign key", "")[0] == "ignore"
    assert taken_as(rules, "error", "syntax", "42601") == ("error", None)
    with store.write() as session:
        save_log_rule(session, "key", "ignore", "ada", 1)
        save_log_rule(session, "key", "error", "bob", 2)
        assert [(one.takes, one.made_by) for one in log_rules(session)] == [("error", "bob")]
        with pytest.raises(InvalidInput, match="at least one word"):
            save_log_rule(session, "   ", "ignore", "ada", 3)
        with pytest.raises(NotFound):
            delete_log_rule(session, 77)


def test_a_server_without_a_log_is_unknown_not_silent(store: Store) -> None:
    built = Built(store)
    built.server("mute", abilities=["counters"])
    found = log_sheet(built.reader, HOUR, "mute")
    assert "unknown" in found.sentence and found.unknown == ["mute does not report its log"]


def test_a_rule_makes_messages_a_finding_or_keeps_them_from_rules(store: Store, built: Built) -> None:
    server = server_named(built.reader, "a")
    with store.write() as session:
        save_log_rule(session, "complete", "finding", "ada", NOW)
        save_log_rule(session, "duplicate key", "ignore", "ada", NOW)
    evidence = evidence_of(built.reader, server, Window(HOUR))
    assert isinstance(evidence.messages, list)
    assert [(one.shape, one.severity, one.watched) for one in evidence.messages] == [
        ("checkpoints come often", "warning", False),
        ("checkpoint complete", "error", True),
    ]
    (found,) = WatchedMessage().examine(evidence)
    assert found.subject.kind == "server" and found.grade == "plan" and "checkpoint complete" in found.title
    assert found.signal is not None and found.signal.at_us == NOW - 5 * MINUTE_US
    (shape,) = [one for one in log_sheet(built.reader, HOUR, "a").shapes if one.rule]
    assert (shape.severity, shape.said) == ("error", "info")
