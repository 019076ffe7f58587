"""A set of indexes on made rows: what helps is shown to help, as promised; what does not is not."""

from __future__ import annotations

from collections.abc import Iterator

import psycopg
import pytest

from hardy_gauge.errors import InvalidInput
from hardy_gauge.lab.made.fill import Made, made_database
from hardy_gauge.lab.made.index_proof import CalledText, prove_indexes
from tests.lab.schemas import LENDING
from tests.lab.test_made import known
from tests.lab.test_twin import server as server

pytestmark = pytest.mark.postgres
BY_DUE = CalledText("due", "SELECT id FROM loan WHERE due > $1 AND due < $2 AND note = 'x' ORDER BY due LIMIT 10", 200)
BY_KEY = CalledText("key", "SELECT * FROM loan WHERE id = $1", 500)
WRITE = CalledText("write", "UPDATE loan SET note = 'y' WHERE id = $1", 50)
GONE = CalledText("gone", "SELECT colour FROM loan", 3)


@pytest.fixture(scope="module")
def made(server: psycopg.Connection) -> Iterator[Made]:
    facts, _ = known(server, LENDING, "indexed", True)
    with made_database(facts, most_rows=150_000) as made:
        yield made


def test_an_index_that_helps_is_shown_to_help(made: Made) -> None:
    found = prove_indexes(
        made, [BY_DUE, BY_KEY, WRITE, GONE], ["CREATE INDEX CONCURRENTLY noted ON loan (note, due);"], ["DROP INDEX CONCURRENTLY loan_copy;"],
        ["DROP INDEX CONCURRENTLY noted;", "CREATE INDEX CONCURRENTLY loan_copy ON loan (copy_id);"],
    )  # fmt: skip
    assert found.promised_share is not None and found.measured_share is not None and found.ratio is not None
    assert found.measured_share >= 0.7 * found.promised_share > 0.3 and found.ratio.high < 1, found.sentence
    assert "less time" in found.sentence and "what the planner promised" in found.sentence
    by = {one.fingerprint: one for one in found.statements}
    assert (
        by["due"].ratio is not None
        and by["due"].ratio < 0.5
        and by["due"].promised is not None
        and by["due"].promised < 0.5
    )
    assert by["key"].promised == pytest.approx(1.0, rel=0.1) and "colour" in by["gone"].problem
    with made.owner() as owner:  # as it was
        names = {
            name for (name,) in owner.execute("SELECT indexname FROM pg_indexes WHERE tablename = 'loan'").fetchall()
        }
    assert "loan_copy" in names and "noted" not in names


def test_an_index_that_nothing_needs_is_not_shown_to_help(made: Made) -> None:
    found = prove_indexes(made, [BY_KEY], ["CREATE INDEX unneeded ON loan (fee);"], [], ["DROP INDEX unneeded;"])
    assert found.promised_share == pytest.approx(0.0, abs=0.05) and found.ratio is not None
    assert found.ratio.high > 0.4, "a call by key is not much faster by an index on another column"


def test_a_script_that_cannot_be_run_is_named(made: Made) -> None:
    with pytest.raises(InvalidInput, match="colour") as refused:
        prove_indexes(made, [BY_KEY], ["CREATE INDEX wrong ON loan (colour);"], [], [])
    assert refused.value.field == "index"
