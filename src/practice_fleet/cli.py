"""``hardy-gauge-practice``: run the practice fleet, or check a scenario file."""

from __future__ import annotations

import json
from pathlib import Path
from typing import Annotated

import typer
import uvicorn

from hardy_gauge.probes.protocol import Refused
from practice_fleet.http_app import build, clock_us
from practice_fleet.scenario.document import Scenario
from practice_fleet.scenario.guide import json_schema, markdown
from practice_fleet.scenario.idle_troubles import idle_troubles
from practice_fleet.scenario.reading import ScenarioError, line_of, load_scenario, shipped
from practice_fleet.server import PracticeServer

app = typer.Typer(
    help="The practice fleet: simulated database servers behind the probe protocol.", no_args_is_help=True
)


@app.command()
def serve(
    port: Annotated[int, typer.Option(help="Port on the loopback address.")] = 8741,
    scenario: Annotated[Path | None, typer.Option(help="Scenario file; the library consortium if not given.")] = None,
    state: Annotated[Path | None, typer.Option(help="File that remembers when the fleet first started.")] = None,
) -> None:
    """Serve every server of a scenario under /servers/{name} until stopped."""
    loaded = _load(scenario or shipped())
    anchor = clock_us()
    if state is not None and state.exists():
        anchor = int(json.loads(state.read_text())["anchor_us"])
    elif state is not None:
        state.parent.mkdir(parents=True, exist_ok=True)
        state.write_text(json.dumps({"anchor_us": anchor}))
    uvicorn.run(build(loaded, anchor), host="127.0.0.1", port=port, log_level="warning")


@app.command()
def check(file: Path) -> None:
    """Read a scenario file and say what is wrong with it, one line a mistake, and which troubles cannot act."""
    loaded = _load(file)
    tables = sum(len(database.tables) for database in loaded.databases.values())
    statements = sum(len(database.statements) for database in loaded.databases.values())
    for name, (cluster, spec) in loaded.servers().items():
        try:
            plans = PracticeServer(loaded, cluster, spec, clock_us()).state(clock_us()).plans
        except Refused as error:
            typer.echo(f"{file.name}: a statement of {name} cannot be planned: {error}", err=True)
            raise typer.Exit(2) from None
        if not plans:
            typer.echo(f"{file.name}: {name} runs no statement in its role, {spec.role}", err=True)
            raise typer.Exit(2)
    idle = idle_troubles(loaded)
    for number, why in idle:
        line, cause = line_of(file, "troubles", number), loaded.troubles[number].cause
        typer.echo(f"{file.name}:{line}: troubles.{number}: {cause} does nothing of its own: {why}", err=True)
    if idle:
        raise typer.Exit(2)
    words = (
        f"{len(loaded.servers())} servers, {tables} tables, {statements} statements, {len(loaded.troubles)} troubles"
    )
    typer.echo(f"{file}: {words}")


@app.command()
def schema() -> None:
    """Print the JSON Schema of scenario files."""
    typer.echo(json.dumps(json_schema(), indent=1))


@app.command()
def guide() -> None:
    """Print every key of a scenario file, every trouble and every setting, as Markdown."""
    typer.echo(markdown(), nl=False)


def _load(path: Path) -> Scenario:
    try:
        return load_scenario(path)
    except (ScenarioError, OSError) as error:
        typer.echo(str(error), err=True)
        raise typer.Exit(2) from None
