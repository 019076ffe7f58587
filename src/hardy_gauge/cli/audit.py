"""``hardy-gauge audit``: check and export the audit log."""

from __future__ import annotations

import getpass
import json
import time
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import asdict

import typer
from sqlalchemy import func, select

from hardy_gauge.cli.options import Data
from hardy_gauge.core.narrative.audit import chain_words
from hardy_gauge.settings import AppSettings
from hardy_gauge.store.audit import Acting, acting, first_broken
from hardy_gauge.store.database import Store
from hardy_gauge.store.people import Audit
from hardy_gauge.store.persons import audit_line

app = typer.Typer(no_args_is_help=True, help="Who did what: the chain of lines checked, and all of it as JSON lines.")


@contextmanager
def as_operator(command: str, on: str) -> Iterator[None]:
    """What is written within is done by whoever runs the command."""
    with acting(Acting(f"{getpass.getuser()} (command line)", command, on, "", time.time_ns() // 1000)):
        yield


@app.command("verify")
def verify(data: Data) -> None:
    """Check that no line of the audit log was changed or is missing; exit code 1 when one was.

    Example: hardy-gauge audit verify --data data

    Lines missing at the end cannot be seen from the log itself: compare the last hash with that of an earlier export.
    """
    store = Store(AppSettings(data=data).store_path)
    with store.read() as session:
        broken = first_broken(session)
        count = session.scalar(select(func.count()).select_from(Audit)) or 0
        last = session.scalars(select(Audit.hash).order_by(Audit.id.desc()).limit(1)).first()
    store.close()
    typer.echo(chain_words(broken), err=broken is not None)
    if broken is not None:
        raise typer.Exit(1)
    typer.echo(f"{count} lines; the last hash is {last or 'none'}")


@app.command("export")
def export(data: Data) -> None:
    """Print the whole audit log as JSON lines, the oldest first."""
    store = Store(AppSettings(data=data).store_path)
    with store.read() as session:
        for row in session.scalars(select(Audit).order_by(Audit.id).execution_options(yield_per=500)):
            typer.echo(json.dumps(asdict(audit_line(row))))
    store.close()
