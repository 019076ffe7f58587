"""``hardy-gauge backup`` and ``hardy-gauge restore``."""

from __future__ import annotations

import os
import time
from pathlib import Path
from typing import Annotated

import typer

from hardy_gauge.cli.options import Data
from hardy_gauge.core.figures.formatting import size
from hardy_gauge.settings import AppSettings
from hardy_gauge.store import backup as backups
from hardy_gauge.store.data_folder import locked
from hardy_gauge.store.keyring import FILE

PASSPHRASE = "HARDY_GAUGE_BACKUP_PASSPHRASE"


def backup(
    to: Annotated[
        Path, typer.Argument(help="A file that ends in .backup, or a folder for one with the time in its name.")
    ],
    data: Data,
    encrypt: Annotated[
        bool, typer.Option(help=f"With the passphrase in {PASSPHRASE}, or a new one that is printed.")
    ] = False,
    key_to: Annotated[
        Path | None, typer.Option(help="Also copy the keyring's key, to this file; keep it apart.")
    ] = None,
) -> None:
    """Back the store up, also while the application runs: consistent, and checked before it is kept.

    Example: hardy-gauge backup backups/ --data data --encrypt

    The keyring's key is not in a backup. Without it the accounts' secrets have to be entered again after a restore.
    """
    settings = AppSettings(data=data)
    if not settings.store_path.exists():
        typer.echo(f"data: there is no store in {data}", err=True)
        raise typer.Exit(2)
    to = to if to.suffix == backups.SUFFIX else backups.scheduled(to, _now_us())
    passphrase = os.environ.get(PASSPHRASE, "") if encrypt else ""
    if encrypt and not passphrase:
        passphrase = backups.new_passphrase()
        typer.echo(f"The passphrase is {passphrase}; without it nobody can read the backup.")
    manifest = backups.back_up(settings.store_path, to, passphrase)
    if key_to is not None:
        with os.fdopen(os.open(key_to, os.O_WRONLY | os.O_CREAT | os.O_EXCL, 0o600), "wb") as file:
            file.write((data / FILE).read_bytes())
    rows = ", ".join(f"{count:,} {table}" for table, count in manifest.rows.items())
    typer.echo(f"{to}: {size(to.stat().st_size)}, checked; rows: {rows}")


def restore(
    source: Annotated[Path, typer.Argument(metavar="FROM", help="A backup.")],
    data: Annotated[Path, typer.Option(help="Folder to restore into; made if missing.")],
    replace: Annotated[
        bool, typer.Option(help="Replace the store that is there; it is kept under another name.")
    ] = False,
) -> None:
    """Restore a backup into a folder, whole or not at all. The application must not be running on it.

    Example: hardy-gauge restore backups/hardy-gauge-20261126T020000Z.backup --data data

    The passphrase of an encrypted one is taken from HARDY_GAUGE_BACKUP_PASSPHRASE.
    """
    with locked(data):
        manifest = backups.restore(source, data, os.environ.get(PASSPHRASE, ""), replace)
    rows = ", ".join(f"{count:,} {table}" for table, count in manifest.rows.items())
    typer.echo(f"{data}: restored; rows: {rows}")
    if not (data / FILE).exists():
        typer.echo(
            f"The keyring's key is not in a backup: copy it to {data / FILE}, or enter the accounts' secrets again."
        )


def _now_us() -> int:
    return time.time_ns() // 1000
