"""What a command says when it cannot do what it was asked for."""

from __future__ import annotations

import json
from typing import Any, NoReturn

import typer

from hardy_gauge.errors import GaugeError


def problem_of(error: GaugeError) -> dict[str, Any]:
    """As a problem detail (RFC 9457), with the field that is wrong."""
    return {"title": error.title, "status": 422, "detail": str(error), "field": error.field}


def fail(error: GaugeError, as_json: bool) -> NoReturn:
    """Exit 2, with the problem in words or as JSON."""
    if as_json:
        typer.echo(json.dumps(problem_of(error)))
    else:
        typer.echo(str(error), err=True)
    raise typer.Exit(2)
