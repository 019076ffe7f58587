"""``hardy-gauge-practice``: run the practice fleet, or check a scenario file."""

from __future__ import annotations

import json
from pathlib import Path
from typing import Annotated

import typer
import uvicorn

from practice_fleet.face import build, clock_us
from practice_fleet.scenario import ScenarioError, load_scenario, shipped

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
    """Read a scenario file and say what is wrong with it, one line a mistake."""
    loaded = _load(file)
    servers = sum(len(cluster.servers) for cluster in loaded.clusters)
    typer.echo(f"{file}: {servers} servers, {len(loaded.tables)} tables, {len(loaded.statements)} statements")


def _load(path: Path):  # type: ignore[no-untyped-def]
    try:
        return load_scenario(path)
    except (ScenarioError, OSError) as error:
        typer.echo(str(error), err=True)
        raise typer.Exit(2) from None
