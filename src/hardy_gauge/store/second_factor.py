"""The second factor: codes of six digits that change every 30 seconds (RFC 6238), and codes for when the device is lost."""

from __future__ import annotations

import hashlib
import io
import secrets
from dataclasses import dataclass

import pyotp
import segno

from hardy_gauge.errors import InvalidInput
from hardy_gauge.store.keyring import Keyring
from hardy_gauge.store.people import Person

ISSUER = "Hardy Gauge"
STEP_S = 30
RECOVERY_CODES = 10


@dataclass(frozen=True)
class Enrolment:
    """What goes into the person's device: the secret, the same as an address, and as a picture (SVG)."""

    secret: str
    address: str
    picture: str


def enrolment(name: str) -> Enrolment:
    """A new secret. Nothing is kept until a code of it comes back."""
    secret = pyotp.random_base32()
    address = pyotp.TOTP(secret, interval=STEP_S).provisioning_uri(name=name, issuer_name=ISSUER)
    picture = io.BytesIO()
    segno.make(address, error="m").save(picture, kind="svg", scale=4, border=2, xmldecl=False)
    return Enrolment(secret, address, picture.getvalue().decode())


def switch_on(person: Person, keyring: Keyring, secret: str, code: str, now_us: int) -> list[str]:
    """Keep a secret whose code is right; returns the recovery codes, which are shown this once. InvalidInput otherwise."""
    try:
        step = _step(secret, code, now_us)
    except ValueError as error:
        raise InvalidInput("secret: the one that was given out was expected", "secret") from error
    if step is None:
        raise InvalidInput("code: the six digits that the device shows now were expected", "code", "Not the code")
    codes = [f"{secrets.token_hex(4)}-{secrets.token_hex(4)}" for _ in range(RECOVERY_CODES)]
    person.totp, person.totp_step = keyring.close(secret), step
    person.recovery = [_hash(one) for one in codes]
    return codes


def switch_off(person: Person) -> None:
    """The password alone is enough again."""
    person.totp, person.totp_step, person.recovery = None, 0, []


def accepted(person: Person, keyring: Keyring, code: str, now_us: int) -> bool:
    """Whether a code is right now; each is right once, and a recovery code is used up."""
    if person.totp is None:
        return True
    if (hashed := _hash(code.strip().lower())) in person.recovery:
        person.recovery = [one for one in person.recovery if one != hashed]
        return True
    step = _step(keyring.open(person.totp), code, now_us)
    if step is None or step <= person.totp_step:
        return False
    person.totp_step = step
    return True


def _step(secret: str, code: str, now_us: int) -> int | None:
    """The time step that a code is of: this one, or the one before or after, for clocks that differ (RFC 6238, 5.2)."""
    now, totp = now_us // 1_000_000, pyotp.TOTP(secret, interval=STEP_S)
    digits = code.replace(" ", "")
    steps = [step for shift in (0, -1, 1) if (step := now // STEP_S + shift) >= 0]
    return next(
        (step for step in steps if secrets.compare_digest(totp.at(step * STEP_S).encode(), digits.encode())), None
    )


def _hash(code: str) -> str:
    return hashlib.sha256(code.encode()).hexdigest()
