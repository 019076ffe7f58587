"""A routine of a real PostgreSQL: what it runs stands on the sheet of its caller, with what was counted of each statement."""

from __future__ import annotations

import psycopg
import pytest

from hardy_gauge.capture.collector import Collector
from hardy_gauge.store.database import Store
from tests.capture.test_plans_by_themselves import Minutes
from tests.capture.test_postgresql import collector as collector
from tests.capture.test_postgresql import watched as watched

BODY = """
CREATE FUNCTION remind(p_patron int) RETURNS int LANGUAGE plpgsql AS $$
DECLARE n int; r record;
BEGIN
  SELECT count(*) INTO n FROM loan WHERE patron = p_patron AND note <> 'late';
  IF n > 100000 THEN
    DELETE FROM loan WHERE patron = p_patron;
  END IF;
  FOR r IN SELECT id FROM loan WHERE patron = p_patron LIMIT 3 LOOP
    UPDATE loan SET note = 'reminded' WHERE id = r.id;
  END LOOP;
  RETURN n;
END $$
"""


@pytest.mark.postgres
def test_the_caller_shows_what_its_routine_runs(
    store: Store, collector: Collector, watched: tuple[psycopg.Connection, str]
) -> None:
    owner, minutes = watched[0], Minutes(store, collector)
    owner.execute("SET pg_stat_statements.track = 'all'")
    owner.execute(BODY)
    minutes.look()
    for _ in range(3):
        for n in range(10):
            owner.execute("SELECT remind(%s)", [n])
        owner.execute("SELECT pg_stat_force_next_flush()")
        minutes.look()
    sheet = minutes.sheet("SELECT remind(")
    assert sheet.routines is not None and "It calls remind" in sheet.routines.sentence
    runs = {step.text: step for step in sheet.routines.runs}
    assert len(runs) == 4, list(runs)
    counted = {text for text, step in runs.items() if step.calls}
    assert {text.split()[0] for text in counted} == {"SELECT", "UPDATE"} and len(counted) == 3
    update = next(step for text, step in runs.items() if text.startswith("UPDATE"))
    assert update.nested_share == 1.0 and (update.calls or 0) == pytest.approx(3 * (sheet.row.calls or 0), rel=0.01)
    assert sum(step.share or 0.0 for step in runs.values()) == pytest.approx(1.0)
    below = minutes.sheet("UPDATE loan SET note")
    assert below.routines is not None and below.routines.run_by == ["remind"]
    assert [one.text for one in below.routines.callers] == [sheet.row.text]
