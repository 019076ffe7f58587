"""The commands. Each verb is a module; this file only gathers them."""

from __future__ import annotations

import sys
from typing import Annotated

import typer
from pydantic import ValidationError

from hardy_gauge import __version__
from hardy_gauge.cli import (
    agent,
    audit,
    backup,
    bundle,
    capture,
    demo,
    diagnose,
    imports,
    keyring,
    plan,
    serve,
    settings,
    trial,
)
from hardy_gauge.errors import GaugeError

app = typer.Typer(
    no_args_is_help=True,
    help="Hardy Gauge captures what database servers wait for, explains it, and tries what would help.",
    epilog="Start with `hardy-gauge demo`: a made-up library's servers, with a trouble to find.",
)


def _version(wanted: bool) -> None:
    if wanted:
        typer.echo(__version__)
        raise typer.Exit


@app.callback()
def options(
    version: Annotated[
        bool, typer.Option("--version", help="Print the version.", callback=_version, is_eager=True)
    ] = False,
) -> None:
    pass


app.command("demo")(demo.demo)
app.command("serve")(serve.serve)
app.command("capture")(capture.capture)
app.command("agent")(agent.agent)
app.command("backup")(backup.backup)
app.command("restore")(backup.restore)
app.command("trial")(trial.trial)
app.command("plan")(plan.plan)
app.command("diagnose")(diagnose.diagnose)
app.add_typer(audit.app, name="audit")
app.add_typer(keyring.app, name="keyring")
app.add_typer(settings.app, name="settings")
app.add_typer(bundle.app, name="bundle")
app.add_typer(imports.app, name="import")
app.command("trial-worker", hidden=True)(trial.worker)


def main() -> None:
    """Run a command; what cannot be done is said in one line."""
    try:
        app()
    except GaugeError as error:
        typer.echo(str(error), err=True)
        sys.exit(2)
    except ValidationError as error:  # of settings from the environment or the command line
        first = error.errors()[0]
        typer.echo(f"{'.'.join(map(str, first['loc']))}: {first['msg'].removeprefix('Value error, ')}", err=True)
        sys.exit(2)


if __name__ == "__main__":
    main()
