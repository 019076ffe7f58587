"""Jobs of a store whose runs are known: calendar, state, names of people."""

from __future__ import annotations

import pytest

from hardy_gauge.core.narrative.recurrences import job_in_focus_words
from hardy_gauge.core.time.span import DAY_US, HOUR_US, MINUTE_US, Span
from hardy_gauge.core.time.window import Window
from hardy_gauge.errors import InvalidInput, NotFound
from hardy_gauge.queries.recurrences import job_on, recurrences
from hardy_gauge.queries.scope import server_named
from hardy_gauge.queries.server_sheet import server_sheet
from hardy_gauge.store.database import Store
from hardy_gauge.store.named_jobs import name_job
from tests.queries.builder import NOW, Built

DAYS = 20
MIDNIGHT = NOW // DAY_US * DAY_US


@pytest.fixture
def built(store: Store) -> Built:
    """A nightly job of twenty minutes at 02:00, and a statement that runs all the time."""
    built = Built(store)
    server = built.server("a")
    job, always = built.statement("INSERT INTO overdue SELECT 1"), built.statement("SELECT due FROM loan")
    built.minutes(server, MIDNIGHT - DAYS * DAY_US, NOW, 1.0)
    built.calls(server, always, MIDNIGHT - DAYS * DAY_US, NOW, 5.0, 0.01)
    for n in range(DAYS):
        begins = MIDNIGHT - n * DAY_US + 2 * HOUR_US
        built.calls(server, job, begins, begins + 20 * MINUTE_US, 0.1, 5.0)
    return built


def test_a_nightly_job_is_learnt_and_what_runs_all_the_time_is_none(built: Built) -> None:
    found = recurrences(built.reader, "a", "UTC")
    (job,) = found.jobs
    assert (job.text, job.words, job.clock, job.hits, job.state) == (
        "INSERT INTO overdue SELECT 1",
        "every day",
        "02:00",
        20,
        "as usual",
    )
    assert job.length_s == pytest.approx(1200.0) and job.active_sessions == pytest.approx(0.5)
    assert "1 job on a comes back by the calendar, and all ran as usual" in found.sentence
    assert recurrences(built.reader, "a", "Asia/Kolkata").jobs[0].clock == "07:30"


def test_people_name_and_dismiss_jobs_and_take_it_back(store: Store, built: Built) -> None:
    (job,) = recurrences(built.reader, "a", "UTC").jobs
    for name, dismissed in (("overdue notices", False), ("overdue notices", True), ("", False)):
        with store.write() as session:
            name_job(session, "a", job.fingerprint, name, dismissed)
        (known,) = recurrences(built.reader, "a", "UTC").jobs
        assert (known.name, known.dismissed) == (name, dismissed)
    with store.write() as session, pytest.raises(NotFound):
        name_job(session, "a", "no such statement", "x", False)


def test_a_zone_that_is_none_and_a_server_without_history(store: Store, built: Built) -> None:
    with pytest.raises(InvalidInput, match="no time zone"):
        recurrences(built.reader, "a", "Mars/Olympus")
    built.server("new")
    assert "No job that comes back was learnt on new" in recurrences(built.reader, "new", "UTC").sentence


def test_a_job_that_took_a_part_of_a_focus_is_told_with_its_calendar(store: Store, built: Built) -> None:
    server = server_named(built.reader, "a")
    night = Span(MIDNIGHT + 2 * HOUR_US, MIDNIGHT + 3 * HOUR_US)
    (known,) = recurrences(Built(store).reader, "a", "UTC").jobs
    shares = {known.fingerprint: 0.4}
    assert job_on(built.reader, server, night, shares) is None, "nothing was learnt ahead"
    recurrences(built.reader, "a", "UTC")
    found = job_on(built.reader, server, night, shares)
    assert found is not None and found[1]
    assert (
        job_in_focus_words(found[0], 0.4, found[1])
        == " INSERT INTO overdue SELECT 1 ran, as every day at 02:00: 40% of its time."
    )
    noon = job_on(built.reader, server, night.moved(10 * HOUR_US), shares)
    assert noon is not None and "though it usually comes every day" in job_in_focus_words(noon[0], 0.4, noon[1])
    assert job_on(built.reader, server, night, {"another": 0.9}) is None
    assert "ran, as every day at 02:00" in server_sheet(built.reader, Window(night), "a").sentence
    with store.write() as session:
        name_job(session, "a", known.fingerprint, "overdue notices", False)
    named = job_on(built.reader, server, night, shares)
    assert named is not None and named[0].name == "overdue notices"
