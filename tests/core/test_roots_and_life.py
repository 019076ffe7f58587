"""Roots and consequences, the life of findings, and the handbook behind them."""

from __future__ import annotations

import re
from dataclasses import replace

import pytest

from hardy_gauge.core.diagnosis.finding import Finding, Grade, Impact, Subject
from hardy_gauge.core.diagnosis.life import is_aside, state_of, weight
from hardy_gauge.core.diagnosis.roots import FOLLOWS, arranged
from hardy_gauge.core.diagnosis.rules import RULES
from hardy_gauge.core.figures.catalogue import FIGURES
from hardy_gauge.core.handbook.articles import HEADINGS, articles, holding
from hardy_gauge.core.narrative.activity import DOING
from hardy_gauge.core.narrative.findings import findings_sentence, report_lines
from hardy_gauge.core.time.span import HOUR_US
from hardy_gauge.probes.setting_map import OF_TABLES, setting_map
from practice_fleet.settings import CATALOGUE

UPDATE = Subject("statement", "f1", "UPDATE loan SET state = $1 WHERE id = $2")


def found(cause: str, share: float = 0.0, grade: Grade = "plan", subject: Subject = UPDATE) -> Finding:
    impact = Impact(share * 10, share * 9, share * 11)
    return Finding(cause, cause, subject, impact, share, share * 0.9, share * 1.1, grade, 0.8, [], [])


def roots(*findings: Finding) -> dict[str, str]:
    return {one.cause: one.root for one in arranged(findings)}


def test_what_follows_is_folded_under_its_root_which_weighs_as_much() -> None:
    deadlock, waits, fails = found("deadlocks"), found("hot_row", 0.6, "act"), found("failing_statement", 0.0, "act")
    made = arranged([waits, fails, deadlock])
    assert [one.cause for one in made if one.is_root] == ["deadlocks"] and made[0].cause == "deadlocks"
    assert (made[0].grade, made[0].share) == ("act", 0.6)
    assert {one.root for one in made[1:]} == {"deadlocks"} and {one.root_subject for one in made[1:]} == {"f1"}


def test_a_consequence_of_a_consequence_is_folded_under_the_first() -> None:
    table = Subject("table", "loan")
    made = roots(found("upkeep_off"), found("bloat", 0.0, "plan", table), found("cache_too_small", 0.3, "plan"))
    assert made == {"upkeep_off": "", "bloat": "upkeep_off", "cache_too_small": "upkeep_off"}


def test_subjects_decide_where_they_must_agree() -> None:
    other = Subject("statement", "f2", "SELECT id FROM item WHERE code = $1")
    same_table = Subject("statement", "f3", "SELECT id FROM loan WHERE id = $1")
    assert roots(found("new_statement"), found("missing_index", subject=other))["missing_index"] == ""
    assert roots(found("plan_flip"), found("missing_index", subject=same_table))["missing_index"] == "plan_flip"
    assert roots(found("plan_flip"), found("missing_index", subject=other))["missing_index"] == ""


def test_a_circle_has_its_most_important_as_root() -> None:
    made = arranged(
        [found("upkeep_off", 0.0, "note"), found("transaction_age", 0.0, "act"), found("stale_statistics", 0.0, "note")]
    )
    assert [one.cause for one in made if one.is_root] == ["transaction_age"]


def test_a_note_that_costs_nothing_explains_no_trouble() -> None:
    made = roots(
        found("settings_differ", 0.0, "note"), found("log_too_small", 0.0, "note"), found("hot_row", 0.5, "act")
    )
    assert made["hot_row"] == ""


def test_what_is_new_comes_before_what_has_always_been_so() -> None:
    old = replace(found("missing_index", 0.9), chronic=True)
    assert [one.cause for one in arranged([old, found("sort_spills", 0.2)])] == ["sort_spills", "missing_index"]


def test_every_consequence_and_root_is_a_cause_that_has_a_rule() -> None:
    named = {rule.cause for rule in RULES}
    assert {one.cause for one in FOLLOWS} | {root for one in FOLLOWS for root in one.roots} <= named


def test_set_aside_it_is_silent_until_it_grows_by_half() -> None:
    before, little, much = (found("hot_row", share) for share in (0.2, 0.28, 0.31))
    assert weight(before) == pytest.approx(2.0)
    assert (
        is_aside(little, 5, weight(before))
        and not is_aside(much, 5, weight(before))
        and not is_aside(before, None, None)
    )
    days = replace(before, impact=Impact(10.0, 10.0, 10.0, "s"))
    assert not is_aside(replace(days, impact=Impact(6.0, 6.0, 6.0, "s")), 5, weight(days)), "nearer by half"


def test_one_word_for_where_it_is() -> None:
    words = {
        "over": state_of(9 * HOUR_US, 0, 5, None, True, True), "set aside": state_of(9 * HOUR_US, 0, None, None, True, True),
        "noted": state_of(9 * HOUR_US, 0, None, 3, True, False), "back": state_of(9 * HOUR_US, 0, None, 3, False, False),
        "new": state_of(HOUR_US, HOUR_US // 2, None, None, False, False), "going on": state_of(9 * HOUR_US, 0, None, None, False, False),
    }  # fmt: skip
    assert all(word == said for word, said in words.items())


def test_the_sentence_names_what_comes_first() -> None:
    asking = [("desk-a", found("missing_index", 0.8, "act")), ("desk-b", found("bloat"))]
    assert findings_sentence(asking, 22, 20) == (
        "2 findings ask for something on 2 servers, 1 of them now; 2 of 22 servers were not diagnosed yet. First: missing_index (desk-a)."
    )
    assert findings_sentence([], 1, 1) == "Nothing asks for anything on 1 server."
    assert "not diagnosed" not in findings_sentence([], 3, 3) and "No server was diagnosed yet" in findings_sentence(
        [], 3, 0
    )


def test_a_diagnosis_reads_as_text() -> None:
    one = {"root": True, "grade": "act", "cause": "hot_row", "title": "Calls wait", "since": "2026-01-01T00:00:00Z"}
    server = {
        "sentence": "a works as usual.",
        "findings": [one, one | {"root": False}],
        "unknown": [{"cause": "bloat", "why": "it has no tables"}],
    }
    lines = list(report_lines({"servers": {"a": server}}))
    assert (
        lines[1].startswith("  act   hot row: Calls wait")
        and "follows" in lines[2]
        and "bloat, because it has no tables" in lines[3]
    )


def test_the_handbook_has_no_gap() -> None:
    known = articles()
    assert not [rule.cause for rule in RULES if ("cause", rule.cause) not in known]
    neutral = {
        name
        for engine in ("postgresql", "practice-2")
        for name in setting_map(engine).own
        if not name.startswith(OF_TABLES)
    }
    assert not [name for name in {*CATALOGUE, *neutral} if ("setting", name) not in known]
    assert not [name for name in FIGURES if ("figure", name) not in known]
    assert not [name for name in DOING if ("wait family", name) not in known]


def test_articles_are_whole_and_name_no_gap_of_their_own() -> None:
    for one in articles().values():
        if one.group != "check":  # those say what the check itself says
            assert [part.heading for part in one.sections] == list(HEADINGS.values()), one.key
        assert all(re.fullmatch(r"[A-Z0-9].*[.?]", part.text) for part in one.sections), (
            one.key,
            [p.text for p in one.sections],
        )


def test_articles_are_found_by_their_words() -> None:
    assert holding(["deadlocks"])[0].key == "deadlocks" and holding(["no", "such", "wordxyz"]) == []
