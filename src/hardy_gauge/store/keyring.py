"""Secrets at rest: encrypted by a key that lies beside the store in a file of its own, or comes from the environment.

Fernet (cryptography): AES-128-CBC with HMAC-SHA256. Whoever has the store alone has no secret.
"""

from __future__ import annotations

import os
from pathlib import Path

from cryptography.fernet import Fernet, InvalidToken

from hardy_gauge.errors import GaugeError

FILE = "keyring.key"
VARIABLE = "HARDY_GAUGE_KEYRING_KEY"


class KeyringError(GaugeError):
    """A secret cannot be read: the key is not the one it was written with."""


class Keyring:
    """``folder`` holds the key file; it is made with the first secret, readable by its owner alone."""

    def __init__(self, folder: Path) -> None:
        self.folder = folder

    def _fernet(self) -> Fernet:
        if given := os.environ.get(VARIABLE):
            return self._from(given.encode())
        path = self.folder / FILE
        if not path.exists():
            self.folder.mkdir(parents=True, exist_ok=True)
            try:
                number = os.open(path, os.O_WRONLY | os.O_CREAT | os.O_EXCL, 0o600)
            except FileExistsError:
                return self._from(path.read_bytes())
            with os.fdopen(number, "wb") as file:
                file.write(Fernet.generate_key())
        return self._from(path.read_bytes())

    @staticmethod
    def _from(key: bytes) -> Fernet:
        try:
            return Fernet(key.strip())
        except ValueError as error:
            raise KeyringError(f"the keyring's key is not a key; see {VARIABLE}") from error

    def close(self, secret: str) -> bytes:
        """The secret as it is stored."""
        return self._fernet().encrypt(secret.encode())

    def open(self, stored: bytes) -> str:
        """The secret again; KeyringError when it was written with another key."""
        try:
            return self._fernet().decrypt(stored).decode()
        except InvalidToken as error:
            raise KeyringError("the secret was written with another key; enter it again") from error
