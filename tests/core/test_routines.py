"""Statements of routines, against a parser of the engine's own grammar (libpg_query's PL/pgSQL parser, by pglast)."""

from __future__ import annotations

import json
from typing import Any

import pytest
from pglast.parser import parse_plpgsql_json

from hardy_gauge.core.sql.normalise import normalise
from hardy_gauge.core.sql.routines import calls_routine, routine_of

HEAD = "CREATE OR REPLACE FUNCTION public.lend(p_item integer, p_patron integer) RETURNS integer LANGUAGE plpgsql AS $function$"
BODIES = {
    "into": "DECLARE n int; BEGIN SELECT count(*) INTO n FROM loan WHERE patron = p_patron AND note <> 'x;y'; RETURN n; END;",
    "strict": "DECLARE a int; b int; BEGIN SELECT id, due INTO STRICT a, b FROM loan WHERE item = p_item; RETURN a; END;",
    "record": "DECLARE r record; BEGIN INSERT INTO loan (item) VALUES (p_item) RETURNING id INTO r.id; RETURN 1; END;",
    "if": "BEGIN IF EXISTS (SELECT 1 FROM fine WHERE patron = p_patron) THEN UPDATE patron SET blocked = true; ELSIF p_item > 2 THEN DELETE FROM hold; ELSE PERFORM touch(p_patron); END IF; RETURN 1; END;",
    "loop": "DECLARE r record; BEGIN FOR r IN SELECT id FROM copy WHERE item = p_item LOOP DELETE FROM hold WHERE copy = r.id; END LOOP; FOR i IN 1..3 LOOP PERFORM 1; END LOOP; WHILE (SELECT count(*) FROM hold) > 3 LOOP DELETE FROM hold WHERE id = 1; END LOOP; RETURN 1; END;",
    "case": "BEGIN CASE p_item WHEN 1 THEN DELETE FROM hold; ELSE UPDATE hold SET due = CASE WHEN due > 1 THEN 2 ELSE 3 END; END CASE; RETURN 1; END;",
    "exception": "BEGIN INSERT INTO loan SELECT * FROM old_loan; RETURN 1; EXCEPTION WHEN unique_violation THEN DELETE FROM loan WHERE id = (SELECT max(id) FROM loan); RETURN 0; END;",
    "nested": "BEGIN BEGIN UPDATE loan SET due = 1; END; -- a comment; SELECT 1\n /* another; DELETE */ WITH late AS (SELECT id FROM loan) UPDATE loan SET due = 2 FROM late WHERE loan.id = late.id; RETURN 1; END;",
    "cursor": "DECLARE c CURSOR FOR SELECT id FROM copy WHERE item = p_item; d refcursor; BEGIN OPEN d FOR SELECT id FROM hold; CLOSE d; RETURN 1; END;",
    "returns": "BEGIN RETURN (SELECT max(id) FROM loan WHERE item = p_item); END;",
}  # fmt: skip


def queries(node: Any) -> set[str]:
    """Texts of all expressions of a parsed routine that hold a query."""
    if isinstance(node, list):
        return set().union(*map(queries, node)) if node else set()
    if not isinstance(node, dict):
        return set()
    own = {node["PLpgSQL_expr"]["query"]} if "PLpgSQL_expr" in node else set()
    found = own.union(*(queries(value) for value in node.values()))
    return {one for one in found if any(word in one.lower() for word in ("select", "insert", "update", "delete"))}


@pytest.mark.parametrize("name", BODIES)
def test_the_statements_are_those_that_the_grammar_sees(name: str) -> None:
    definition = f"{HEAD}\n{BODIES[name]}\n$function$"
    truth = queries(json.loads(parse_plpgsql_json(definition)))
    found = routine_of(definition)
    assert found is not None and found.name == "lend" and not found.dynamic
    ours = {one.fingerprint for one in found.statements}
    # PERFORM of a constant is a SELECT for both; an assignment has its variable for one of them only
    assert {normalise(one).fingerprint for one in truth} <= ours, (
        sorted(truth),
        [one.text for one in found.statements],
    )
    extra = [one.text for one in found.statements if one.fingerprint not in {normalise(t).fingerprint for t in truth}]
    assert all("select" not in one.lower() or one.lower() in ("select $1",) for one in extra), extra


def test_texts_put_together_and_other_bodies() -> None:
    dynamic = routine_of(f"{HEAD} BEGIN EXECUTE 'DELETE FROM ' || p_item; RETURN 1; END; $function$")
    assert dynamic is not None and dynamic.dynamic and not dynamic.statements
    plain = routine_of("CREATE FUNCTION f(a int) RETURNS int LANGUAGE sql AS $$ UPDATE t SET b = a; SELECT 1 FROM t $$")
    assert plain is not None and [one.kind for one in plain.statements] == ["update", "select"]
    atomic = routine_of("CREATE FUNCTION f() RETURNS int LANGUAGE sql BEGIN ATOMIC SELECT max(id) FROM t; END")
    assert atomic is not None and len(atomic.statements) == 1
    assert routine_of("CREATE TABLE lend (id int)") is None
    assert routine_of("CREATE FUNCTION f() RETURNS int LANGUAGE c AS 'lib', 'f'") is None


def test_who_calls() -> None:
    assert calls_routine("SELECT public.lend($1, $2)", "lend") and calls_routine('CALL "lend" ()', "lend")
    assert not calls_routine("SELECT lend FROM loan", "lend") and not calls_routine("SELECT 'lend(1)'", "lend")
    assert not calls_routine("SELECT lending(1)", "lend")
