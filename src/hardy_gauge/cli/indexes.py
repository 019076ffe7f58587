"""``hardy-gauge indexes``: the set of indexes that a recorded workload wants."""

from __future__ import annotations

import json
import tempfile
from collections.abc import Iterator
from contextlib import closing, contextmanager
from dataclasses import asdict
from pathlib import Path
from typing import Annotated

import typer

from hardy_gauge.capture import bundles
from hardy_gauge.capture.twin_facts import facts_of_server
from hardy_gauge.cli.audit import as_operator
from hardy_gauge.cli.failing import fail
from hardy_gauge.cli.options import Data
from hardy_gauge.core.figures.units import byte_size
from hardy_gauge.core.indexes.terminal import index_set_words
from hardy_gauge.core.time.clock import clock_us
from hardy_gauge.errors import GaugeError, InvalidInput
from hardy_gauge.lab.index_advice import advise_indexes
from hardy_gauge.lab.twin.make import make_twin, remove_twin
from hardy_gauge.queries.index_workload import index_workload
from hardy_gauge.queries.reader import Reader
from hardy_gauge.settings import AppSettings
from hardy_gauge.store.database import Store

app = typer.Typer(no_args_is_help=True, help="Indexes for a whole workload.")


@app.callback()
def about() -> None:
    pass


@app.command()
def advise(
    data: Data,
    server: Annotated[str, typer.Option(help="A server of the fleet; with --bundle one of the bundle.")] = "",
    bundle: Annotated[Path | None, typer.Option(help="A bundle, instead of the fleet.")] = None,
    size_: Annotated[str, typer.Option("--size", help="What the new indexes may take in all, such as 1GiB.")] = "1GiB",
    writes: Annotated[float | None, typer.Option(help="Entries a second that may be written to them in all.")] = None,
    as_json: Annotated[bool, typer.Option("--json", help="Print JSON instead of words.")] = False,
) -> None:
    """Propose a set of indexes for what a server did, under a budget, with what each adds and whom it costs; nothing is built.

    Example: hardy-gauge indexes advise --server reading-room --size 1GiB
    """
    try:
        budget = _budget(size_)
        with _store(data, bundle, server) as (store, name):
            reader = Reader(store, clock_us)
            work = index_workload(reader, name)
            with as_operator("indexes advise", name), tempfile.TemporaryDirectory(prefix="hardy-gauge-") as folder:
                twin = Path(folder) / "twin"
                make_twin(facts_of_server(store, name, clock_us()), name, twin)
                try:
                    found = advise_indexes(twin, work, budget, writes)
                finally:
                    remove_twin(twin)
    except GaugeError as error:
        fail(error, as_json)
    typer.echo(json.dumps(asdict(found), indent=2) if as_json else index_set_words(found))


def _budget(given: str) -> float:
    try:
        found = float(byte_size(given))  # type: ignore[arg-type]
    except ValueError as error:
        raise InvalidInput(f"size: {error}", "size") from error
    if found <= 0:
        raise InvalidInput("size: more than nothing was expected", "size")
    return found


@contextmanager
def _store(data: Path, bundle: Path | None, server: str) -> Iterator[tuple[Store, str]]:
    """The fleet's store, or one that is made of a bundle for now; with the name of the server."""
    if bundle is None:
        if not server:
            raise InvalidInput("server: a server's name, or a bundle, says whose workload it is", "server")
        with closing(Store(AppSettings(data=data).store_path)) as store:
            yield store, server
        return
    if not bundle.is_file():
        raise InvalidInput(f"bundle: {bundle}: there is no such file", "bundle")
    with (
        tempfile.TemporaryDirectory(prefix="hardy-gauge-") as folder,
        closing(Store(Path(folder) / "bundle.db")) as store,
    ):
        names = bundles.open_in(store, bundle).servers
        if server and server not in names:
            raise InvalidInput(f"server: the bundle holds {', '.join(names)}, not {server}", "server")
        if not server and len(names) > 1:
            raise InvalidInput(f"server: the bundle holds {', '.join(names)}; name one", "server")
        yield store, server or names[0]
