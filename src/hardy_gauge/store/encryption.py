"""Files encrypted with a passphrase: scrypt (RFC 7914) for the key, then pieces of AES-256-GCM in the STREAM construction
(Hoang, Reyhanitabar, Rogaway, Vizár 2015): each has its number and whether it is the last, so that none can be left out,
moved or cut off.
"""

from __future__ import annotations

import secrets
import struct
from typing import IO

from cryptography.exceptions import InvalidTag
from cryptography.hazmat.primitives.ciphers.aead import AESGCM
from cryptography.hazmat.primitives.kdf.scrypt import Scrypt

MAGIC = b"HGENC1"
SALT, PREFIX, TAG = 16, 7, 16
PIECE = 2**20
COST = 2**15


def _cipher(passphrase: str, salt: bytes) -> AESGCM:
    return AESGCM(Scrypt(salt=salt, length=32, n=COST, r=8, p=1).derive(passphrase.encode()))


def _nonce(prefix: bytes, number: int, last: bool) -> bytes:
    return prefix + struct.pack(">IB", number, last)


def encrypt(source: IO[bytes], target: IO[bytes], passphrase: str) -> None:
    """Write the source encrypted to the target."""
    salt, prefix = secrets.token_bytes(SALT), secrets.token_bytes(PREFIX)
    cipher = _cipher(passphrase, salt)
    target.write(MAGIC + salt + prefix)
    number, piece = 0, source.read(PIECE)
    while True:
        following = source.read(PIECE)
        target.write(cipher.encrypt(_nonce(prefix, number, not following), piece, None))
        if not following:
            return
        number, piece = number + 1, following


def decrypt(source: IO[bytes], target: IO[bytes], passphrase: str) -> None:
    """Write the source decrypted to the target; ValueError when the passphrase is another or a byte was changed."""
    head = source.read(len(MAGIC) + SALT + PREFIX)
    if len(head) < len(MAGIC) + SALT + PREFIX or not head.startswith(MAGIC):
        raise ValueError("it is not encrypted in this way")
    salt, prefix = head[len(MAGIC) : len(MAGIC) + SALT], head[-PREFIX:]
    cipher = _cipher(passphrase, salt)
    number, piece = 0, source.read(PIECE + TAG)
    while True:
        following = source.read(PIECE + TAG)
        try:
            target.write(cipher.decrypt(_nonce(prefix, number, not following), piece, None))
        except InvalidTag as error:
            raise ValueError("the passphrase is another one, or the file was changed") from error
        if not following:
            return
        number, piece = number + 1, following
