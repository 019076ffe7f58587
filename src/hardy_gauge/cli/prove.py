"""``hardy-gauge prove``: whether another text gives the same rows, and how long it takes, on made data."""

from __future__ import annotations

import json
from dataclasses import asdict
from pathlib import Path
from typing import Annotated

import typer

from hardy_gauge.cli.facts_given import facts_given
from hardy_gauge.cli.failing import fail
from hardy_gauge.cli.options import Data
from hardy_gauge.core.figures.formatting import counted
from hardy_gauge.core.proof.terminal import proof_words
from hardy_gauge.core.sql.split import split
from hardy_gauge.errors import GaugeError, InvalidInput
from hardy_gauge.lab.made.fill import MOST_ROWS, made_database
from hardy_gauge.lab.made.proof import DRAWS
from hardy_gauge.lab.made.proof import prove as prove_on


def prove(
    old: Annotated[Path, typer.Argument(help="The statement as it is.")],
    new: Annotated[Path, typer.Argument(help="The other text for it.")],
    data: Data,
    server: Annotated[str, typer.Option(help="A server of the fleet; with --bundle one of the bundle.")] = "",
    bundle: Annotated[Path | None, typer.Option(help="A bundle, instead of the fleet.")] = None,
    rows: Annotated[
        int, typer.Option(min=1000, max=20_000_000, help="About how many rows are made in all.")
    ] = MOST_ROWS,
    calls: Annotated[
        int, typer.Option(min=1, max=200, help="How many lists of values are drawn for parameters.")
    ] = DRAWS,
    seed: Annotated[int, typer.Option(help="The same seed makes the same rows and values.")] = 1,
    as_json: Annotated[bool, typer.Option("--json", help="Print JSON instead of words.")] = False,
) -> None:
    """Run two texts beside each other on rows made from a server's statistics: the same rows, and how much time. Exit 1: they differ.

    Example: hardy-gauge prove --server reading-room old.sql new.sql
    """
    try:
        texts = [_statement(path, part) for path, part in ((old, "old"), (new, "new"))]
        _, facts = facts_given(data, server, bundle, "prove")
        with made_database(facts, rows, seed) as made:
            found = prove_on(made, texts[0], texts[1], draws=calls, seed=seed)
    except GaugeError as error:
        fail(error, as_json)
    typer.echo(json.dumps(asdict(found), indent=2, default=str) if as_json else proof_words(found))
    raise typer.Exit(0 if found.same == "same" else 1)


def _statement(path: Path, part: str) -> str:
    try:
        cuts = split(path.read_text(encoding="utf-8"))
    except (OSError, UnicodeDecodeError) as error:
        raise InvalidInput(f"{part}: {path}: {error}", part) from error
    if len(cuts) != 1:
        raise InvalidInput(f"{part}: {path} holds {counted(len(cuts), 'statement')}, and one was expected", part)
    return cuts[0].sql
