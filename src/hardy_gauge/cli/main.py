"""The commands. Each verb is a module, which is imported when it is asked for; this file only gathers them."""

from __future__ import annotations

import sys
from importlib import import_module
from typing import Annotated, Any, cast

import typer
from pydantic import ValidationError
from typer.core import TyperCommand, TyperGroup
from typer.main import get_command

from hardy_gauge import __version__
from hardy_gauge.errors import GaugeError

# by verb: its module, and the function in it; "app" where the verb has verbs of its own
COMMANDS = {
    "demo": ("demo", "demo"), "serve": ("serve", "serve"), "capture": ("capture", "capture"), "agent": ("agent", "agent"),
    "backup": ("backup", "backup"), "restore": ("backup", "restore"), "trial": ("trial", "trial"), "plan": ("plan", "plan"), "check": ("check", "check"), "prove": ("prove", "prove"),
    "diagnose": ("diagnose", "diagnose"), "audit": ("audit", "app"), "keyring": ("keyring", "app"), "settings": ("settings", "app"),
    "bundle": ("bundle", "app"), "twin": ("twin", "app"), "indexes": ("indexes", "app"), "import": ("imports", "app"), "trial-worker": ("trial", "worker"),
    "trial-guard": ("trial", "guard"),
}  # fmt: skip
HIDDEN = ("trial-worker", "trial-guard")


class Commands(TyperGroup):
    """Imports the module of a verb when it is asked for, so that none waits for the others."""

    def list_commands(self, ctx: Any) -> list[str]:
        return list(COMMANDS)

    def get_command(self, ctx: Any, cmd_name: str) -> TyperCommand | TyperGroup | None:
        if cmd_name not in COMMANDS:
            return None
        module, name = COMMANDS[cmd_name]
        found = getattr(import_module(f"hardy_gauge.cli.{module}"), name)
        if not isinstance(found, typer.Typer):
            alone = typer.Typer(add_completion=False)
            alone.command(cmd_name, hidden=cmd_name in HIDDEN)(found)
            found = alone
        command = cast(TyperCommand | TyperGroup, get_command(found))
        command.name = cmd_name
        return command


app = typer.Typer(
    cls=Commands,
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
