"""Every error that is shown to a person: one tree, each with a sentence that names the field and what would be right."""

from __future__ import annotations


class GaugeError(Exception):
    """Something that cannot be done. ``detail`` is a sentence, ``field`` names the part of the input that is wrong."""

    title = "This cannot be done"

    def __init__(self, detail: str, field: str = "", title: str = "") -> None:
        super().__init__(detail)
        self.detail, self.field = detail, field
        self.title = title or type(self).title


class InvalidInput(GaugeError, ValueError):
    """What was given is not what is expected."""

    title = "The request is not valid"


class Malformed(InvalidInput):
    """What was given cannot be read at all."""

    title = "Not readable"


class NotFound(GaugeError):
    """What was asked for is not there."""

    title = "Not found"


class Conflict(GaugeError):
    """What was asked for does not fit what is there."""

    title = "Not possible now"


class NotSignedIn(GaugeError):
    title = "Not signed in"


class NotAllowed(GaugeError):
    title = "Not allowed"


class TooManyTries(GaugeError):
    """``retry_s`` seconds later it may be tried again."""

    title = "Too many tries"

    def __init__(self, detail: str, retry_s: int) -> None:
        super().__init__(detail)
        self.retry_s = retry_s


class TooLarge(GaugeError):
    title = "Too large"


class WrongMediaType(GaugeError):
    title = "Not this media type"


class ProbeError(GaugeError):
    """The server did not answer, or answered something that is not the protocol."""

    title = "The server's probe did not answer"


class Unsupported(ProbeError):
    """The server does not report what was asked."""

    title = "This server does not report that"


class Refused(ProbeError):
    """The server understood the request and refuses it; ``field`` names what is wrong with it."""

    title = "The server refuses this"


class AddressNotAllowed(ProbeError):
    """The application does not connect to that address."""

    title = "This address is not allowed"


class AccountNotForHost(ProbeError):
    """An entry of the keyring names other hosts than the one it was to be sent to."""

    title = "The account is not for this host"


class AccountNotForPerson(ProbeError):
    """An entry of the keyring names who may use it, and somebody else would."""

    title = "The account is not for you to use"


class ProviderError(GaugeError):
    """The provider through which people sign in does not answer, or not as OpenID Connect says."""

    title = "The provider did not answer"


class NeverAsked(ProbeError):
    """A server that came in a file: there is nothing behind it to ask."""

    title = "This server cannot be asked"
