"""``hardy-gauge keyring``: the key that the secrets are encrypted with."""

from __future__ import annotations

from typing import Annotated

import typer

from hardy_gauge.cli.audit import as_operator
from hardy_gauge.cli.options import Data
from hardy_gauge.settings import AppSettings
from hardy_gauge.store.database import Store
from hardy_gauge.store.keyring import Keyring, encrypt_anew

app = typer.Typer(no_args_is_help=True, help="The key that accounts' secrets are encrypted with.")


@app.command("rotate")
def rotate(
    data: Data,
    same_keys: Annotated[
        bool, typer.Option(help="Only encrypt anew with the first of the keys there are, which come from elsewhere.")
    ] = False,
) -> None:
    """Make a new key and encrypt every secret with it; the application may run meanwhile.

    Example: hardy-gauge keyring rotate --data data

    While it works both keys can be read; whenever it is interrupted, run it again.
    """
    store, keyring = Store(AppSettings(data=data).store_path), Keyring(data)
    try:
        if not same_keys:
            keyring.add_key()
        with as_operator("keyring rotate", ""), store.write() as session:
            count = encrypt_anew(session, keyring)
        if not same_keys:
            keyring.drop_old_keys()
    finally:
        store.close()
    typer.echo(f"{count} {'secret is' if count == 1 else 'secrets are'} encrypted with the new key")


@app.command("check")
def check(data: Data) -> None:
    """Say whether every secret can be read with the key.

    Example: hardy-gauge keyring check --data data
    """
    store = Store(AppSettings(data=data).store_path)
    try:
        with store.read() as session:
            count = encrypt_anew(session, Keyring(data))
            session.rollback()
    finally:
        store.close()
    typer.echo(f"{count} {'secret' if count == 1 else 'secrets'} can be read")
