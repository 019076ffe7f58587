"""``hardy-gauge diagnose``: say what is wrong on each server, from a store or from a practice scenario."""

from __future__ import annotations

import json
import tempfile
from collections.abc import Iterator
from contextlib import contextmanager
from datetime import UTC, datetime
from pathlib import Path
from typing import Annotated

import typer

from hardy_gauge.cli.failing import problem_of
from hardy_gauge.cli.options import Data
from hardy_gauge.core.narrative.findings import report_lines
from hardy_gauge.core.time.clock import clock_us
from hardy_gauge.diagnose.report import diagnosis_document
from hardy_gauge.errors import GaugeError, InvalidInput
from hardy_gauge.queries.reader import Reader
from hardy_gauge.queries.scope import FLEET, server_named, servers_in
from hardy_gauge.store.database import Store


class NoStore(InvalidInput):
    """There is no store to diagnose."""

    title = "Nothing to diagnose"


def diagnose(
    data: Data,
    at: Annotated[
        str, typer.Option(help="The moment to look at, such as 2026-03-02T10:00:00Z; left out: the last recorded.")
    ] = "",
    server: Annotated[list[str] | None, typer.Option(help="Only this server. May be repeated.")] = None,
    scenario: Annotated[
        Path | None,
        typer.Option(help="Play the history of a practice scenario, without a network, and diagnose its present."),
    ] = None,
    as_json: Annotated[
        bool, typer.Option("--json", help="Print JSON: findings in order of importance, and what is unknown.")
    ] = False,
) -> None:
    """Diagnose every server over the hour before a moment, and print what is found; nothing is stored.

    Example: hardy-gauge diagnose --server desk-a --json
    """
    try:
        at_us = _moment(at)
        with _reader(data, scenario, at_us, server or []) as reader:
            chosen = [server_named(reader, name) for name in server] if server else servers_in(reader, FLEET)
            document = diagnosis_document(reader, chosen, at_us if scenario is None else reader.clock())
    except GaugeError as error:
        if not as_json:
            raise
        typer.echo(json.dumps(problem_of(error)))
        raise typer.Exit(2) from None
    typer.echo(json.dumps(document, indent=2) if as_json else "\n".join(report_lines(document)))


def _moment(text: str) -> int | None:
    if not text:
        return None
    try:
        known = datetime.fromisoformat(text)
    except ValueError:
        raise InvalidInput("at: a moment such as 2026-03-02T10:00:00Z was expected", "at") from None
    return int((known if known.tzinfo else known.replace(tzinfo=UTC)).timestamp() * 1e6)


@contextmanager
def _reader(data: Path, scenario: Path | None, at_us: int | None, names: list[str]) -> Iterator[Reader]:
    if scenario is not None:
        from hardy_gauge.diagnose.scenario_play import (
            read_scenario,
            recorded,
        )  # loads the simulator, which no other command needs

        played = read_scenario(scenario)
        if unknown := [name for name in names if name not in played.servers()]:
            raise InvalidInput(
                f"server: no server {', '.join(unknown)}; there are {', '.join(played.servers())}", "server"
            )
        with tempfile.TemporaryDirectory(prefix="hardy-gauge-") as folder:
            now_us = (clock_us() if at_us is None else at_us) // 60_000_000 * 60_000_000
            with recorded(played, Path(folder), now_us) as reader:
                yield reader
        return
    path = data / "hardy-gauge.db"
    if not path.is_file():
        raise NoStore(
            f"data: there is no store in {data}; record one with `hardy-gauge serve` or `hardy-gauge capture`", "data"
        )
    store = Store(path)
    try:
        yield Reader(store, clock_us)
    finally:
        store.close()
