"""Secrets at rest: encrypted by a key that is not in the store. Whoever has the store alone has no secret.

Fernet (cryptography): AES-128-CBC with HMAC-SHA256. The key comes from the environment, from a file, from a command, or else
from a file of its own beside the store. Where there are several (one a line), the first encrypts and all decrypt.
"""

from __future__ import annotations

import os
import shlex
import subprocess
import tempfile
from pathlib import Path

from cryptography.fernet import Fernet, InvalidToken, MultiFernet
from sqlalchemy import select
from sqlalchemy.orm import Session

from hardy_gauge.errors import GaugeError
from hardy_gauge.store.models import Account
from hardy_gauge.store.people import Person

FILE = "keyring.key"
VARIABLE = "HARDY_GAUGE_KEYRING_KEY"
VARIABLE_FILE = "HARDY_GAUGE_KEYRING_KEY_FILE"
VARIABLE_COMMAND = "HARDY_GAUGE_KEYRING_KEY_COMMAND"
COMMAND_S = 20.0


class KeyringError(GaugeError):
    """A secret cannot be read: there is no key, or it is not the one that it was written with."""

    title = "The keyring cannot be opened"


class Keyring:
    """``folder`` holds the key file; it is made with the first secret, readable by its owner alone."""

    def __init__(self, folder: Path) -> None:
        self.folder = folder

    @property
    def path(self) -> Path:
        """The key file beside the store."""
        return self.folder / FILE

    def _text(self, make: bool) -> str:
        if given := os.environ.get(VARIABLE):
            return given
        if named := os.environ.get(VARIABLE_FILE):
            return _read(Path(named))
        if command := os.environ.get(VARIABLE_COMMAND):
            return _output(command)
        if not self.path.exists():
            if not make:
                raise KeyringError(
                    f"the keyring's key is missing: put it back to {self.path}, or enter the secrets again"
                )
            self.folder.mkdir(mode=0o700, parents=True, exist_ok=True)
            try:
                number = os.open(self.path, os.O_WRONLY | os.O_CREAT | os.O_EXCL, 0o600)
            except FileExistsError:
                return _read(self.path)
            with os.fdopen(number, "wb") as file:
                file.write(Fernet.generate_key())
        return _read(self.path)

    def _fernet(self, make: bool) -> MultiFernet:
        try:
            keys = [Fernet(key) for key in self._text(make).replace(",", " ").split()]
        except ValueError as error:
            raise KeyringError(f"the keyring's key is not a key; see {VARIABLE}") from error
        if not keys:
            raise KeyringError(f"the keyring's key is empty; see {VARIABLE}")
        return MultiFernet(keys)

    def close(self, secret: str) -> bytes:
        """The secret as it is stored."""
        return self._fernet(make=True).encrypt(secret.encode())

    def open(self, stored: bytes) -> str:
        """The secret again; KeyringError when it was written with another key."""
        try:
            return self._fernet(make=False).decrypt(stored).decode()
        except InvalidToken as error:
            raise KeyringError("the secret was written with another key; enter it again") from error

    def add_key(self) -> None:
        """Put a new key before those in the file beside the store. KeyringError when the key comes from elsewhere."""
        if os.environ.get(VARIABLE) or os.environ.get(VARIABLE_FILE) or os.environ.get(VARIABLE_COMMAND):
            raise KeyringError(
                "the key does not come from the file beside the store: put the new one before the old one where it comes "
                "from, then rotate with --same-keys"
            )
        self._write([Fernet.generate_key().decode(), *self._text(make=True).split()])

    def drop_old_keys(self) -> None:
        """Keep only the first key of the file beside the store."""
        self._write(self._text(make=False).split()[:1])

    def _write(self, keys: list[str]) -> None:
        """The file is the old one or the new one, whenever the process ends."""
        with tempfile.NamedTemporaryFile("w", dir=self.folder, prefix=".key-", delete=False) as file:
            file.write("\n".join(keys))
            file.flush()
            os.fsync(file.fileno())
        os.chmod(file.name, 0o600)
        os.replace(file.name, self.path)


def encrypt_anew(session: Session, keyring: Keyring) -> int:
    """Encrypt every stored secret with the first key; returns how many. KeyringError when one cannot be read."""
    count = 0
    for account in session.scalars(select(Account)):
        account.secret = keyring.close(keyring.open(account.secret))
        count += 1
    for person in session.scalars(select(Person).where(Person.totp.is_not(None))):
        person.totp = keyring.close(keyring.open(person.totp or b""))
        count += 1
    return count


def _read(path: Path) -> str:
    try:
        return path.read_text(encoding="ascii")
    except (OSError, UnicodeDecodeError) as error:
        raise KeyringError(
            f"the keyring's key cannot be read from {path}: {getattr(error, 'strerror', error)}"
        ) from error


def _output(command: str) -> str:
    try:
        return subprocess.run(
            shlex.split(command), check=True, capture_output=True, text=True, timeout=COMMAND_S, stdin=subprocess.DEVNULL
        ).stdout  # fmt: skip
    except (OSError, ValueError, subprocess.SubprocessError) as error:
        raise KeyringError(f"the command of {VARIABLE_COMMAND} gives no key: {type(error).__name__}") from error
