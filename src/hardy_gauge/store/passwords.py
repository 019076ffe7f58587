"""Passwords: which are taken, and their hashes (Argon2id). Hashing takes a good part of a second: never in a transaction."""

from __future__ import annotations

import secrets
from functools import cache

from argon2 import PasswordHasher
from argon2.exceptions import InvalidHashError, VerificationError
from zxcvbn import zxcvbn

from hardy_gauge.errors import InvalidInput

FEWEST_CHARACTERS = 12
LEAST_SCORE = 3  # of 0 to 4: 10^8 guesses and more, by the estimator's own scale
LOOKED_AT = 72  # characters that the estimator looks at; its time grows with the square
_hasher = PasswordHasher()


@cache
def hash_of_nobody() -> str:
    """Compared where a name is not known, so that it takes as long as a known one. No password is behind it."""
    return _hasher.hash(secrets.token_urlsafe())


def hash_password(password: str, name: str) -> str:
    """The hash to keep; InvalidInput when the password is too weak."""
    check_password(password, name)
    return _hasher.hash(password)


def check_password(password: str, name: str) -> None:
    """InvalidInput when a password is short, common, or made of the person's name. How guessable it is comes from lists of
    common passwords, names and words, and from patterns (zxcvbn).
    """
    title = "The password is too weak"
    if len(password) < FEWEST_CHARACTERS:
        raise InvalidInput(f"password: at least {FEWEST_CHARACTERS} characters were expected", "password", title)
    if name and len(password.lower().replace(name.lower(), "")) < FEWEST_CHARACTERS - len(name) / 2:
        raise InvalidInput("password: it is made of the name", "password", title)
    found = zxcvbn(password[:LOOKED_AT], [name, "hardy", "gauge", "hardygauge"])  # type: ignore[no-untyped-call]
    if found["score"] < LEAST_SCORE:
        hints = " ".join([found["feedback"]["warning"], *found["feedback"]["suggestions"]]).strip()
        raise InvalidInput(
            f"password: it is easily guessed. {hints or 'Use several unrelated words.'}", "password", title
        )


def matches(kept: str, password: str) -> bool:
    """Whether a password is the one that was hashed."""
    try:
        return _hasher.verify(kept, password)
    except (VerificationError, InvalidHashError):
        return False
