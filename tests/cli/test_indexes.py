"""``hardy-gauge indexes advise`` from a bundle and from a server that was recorded."""

from __future__ import annotations

import json
import threading
from collections.abc import Iterator
from pathlib import Path

import psycopg
import pytest
from typer.testing import CliRunner

from hardy_gauge.cli.capture import SECRET
from hardy_gauge.cli.main import app
from tests import postgres

pytestmark = pytest.mark.postgres


@pytest.fixture(scope="module")
def recorded(tmp_path_factory: pytest.TempPathFactory) -> Iterator[tuple[Path, Path]]:
    """A bundle, and a data folder, of a server whose loans are looked for by patron without an index."""
    bundle, data = tmp_path_factory.mktemp("bundle") / "loans.bundle", tmp_path_factory.mktemp("data")
    with postgres.watched_postgres() as (owner, address):
        over = threading.Event()

        def work() -> None:
            with psycopg.connect(owner.info.dsn, autocommit=True) as desk:
                while not over.wait(0.001):
                    desk.execute("SELECT * FROM loan WHERE patron = %s", [7])

        desk = threading.Thread(target=work)
        desk.start()
        account = ["--target", address, "--user", "gauge", "--plain-text", "--for", "4s"]
        for goes in (["--out", str(bundle)], ["--data", str(data)]):
            done = CliRunner().invoke(app, ["capture", *account, *goes], env={SECRET: postgres.SECRET})
            assert done.exit_code == 0, done.output
        over.set()
        desk.join()
        yield bundle, data


def run(*words: object, code: int = 0) -> str:
    result = CliRunner().invoke(app, ["indexes", "advise", *map(str, words)])
    assert result.exit_code == code, (result.output, result.exception)
    return result.output


def test_a_set_for_what_was_recorded(recorded: tuple[Path, Path]) -> None:
    bundle, data = recorded
    for source in (["--bundle", bundle], ["--server", "reading-room", "--data", data]):
        found = json.loads(run(*source, "--size", "1GiB", "--json"))
        assert [one["index"] for one in found["chosen"]] == ["loan(patron)"], found["sentence"]
        (one,) = found["chosen"]
        assert one["script"] == "CREATE INDEX CONCURRENTLY loan_patron ON loan(patron);" and "DROP INDEX" in one["undo"]
        assert 0.3 < found["saved_share"] < 1 and found["after"] < found["before"]
        assert found["effects"][0]["uses"] == ["loan(patron)"] and found["effects"][0]["ratio"] < 0.5
        assert not any("pkey" in gone["name"] for gone in found["drops"]), "what a constraint needs is never proposed"
        assert any("values inside statistics" in caution for caution in found["cautions"])
    words = run("--bundle", bundle)
    assert "One index of" in words and "build loan(patron)" in words
    assert "No index within the budget" in run("--bundle", bundle, "--size", "10kB")


@pytest.mark.parametrize(
    ("words", "field"),
    [
        ([], "server"),
        (["--server", "nobody"], "server"),
        (["--bundle", "nothing"], "bundle"),
        (["--server", "a", "--size", "much"], "size"),
        (["--server", "a", "--size", "0GiB"], "size"),
    ],
)  # fmt: skip
def test_what_is_wrong_is_named(words: list[str], field: str, tmp_path: Path) -> None:
    assert json.loads(run(*words, "--data", tmp_path, "--json", code=2))["field"] == field
