"""What is set on the screens of Setup as a YAML file, and such a file followed: rules, limits, snapshots, servers."""

from __future__ import annotations

import json
from collections.abc import Iterable, Sequence
from typing import Any

import yaml
from pydantic import Field, ValidationError
from sqlalchemy import select
from sqlalchemy.orm import Session

from hardy_gauge.capture.access import OPERATOR
from hardy_gauge.capture.rules import CaptureRule
from hardy_gauge.capture.server_settings import Edit, Name, as_document, change
from hardy_gauge.capture.snapshots import Schedule, schedule_of, set_schedule
from hardy_gauge.capture.targets import connected, rules_of, set_rules
from hardy_gauge.errors import GaugeError, InvalidInput
from hardy_gauge.input_document import InputDocument
from hardy_gauge.store.database import Store
from hardy_gauge.store.limits import Limits, limits_of, set_limits
from hardy_gauge.store.models import Account, Server
from hardy_gauge.yaml_text import NotYaml, read_yaml

COMMAND = "hardy-gauge settings apply gauge.yaml"


class BadSettings(InvalidInput):
    """A file that cannot be followed; ``field`` names the part of it that is wrong."""

    title = "The rules cannot be followed"


class ServerPart(Edit):
    """Changes of a server that is connected, by its name."""

    server: Name


class SettingsFile(InputDocument):
    """Each part that is there replaces what was set before; of servers, only what is said of those named."""

    rules: list[CaptureRule] | None = Field(None, max_length=500)
    limits: Limits | None = None
    snapshots: Schedule | None = None
    servers: list[ServerPart] | None = Field(None, max_length=1000)

    @property
    def parts(self) -> list[str]:
        return [name for name in SettingsFile.model_fields if getattr(self, name) is not None]


def read(text: str) -> SettingsFile:
    """BadSettings names the part and the field that is wrong."""
    try:
        document = read_yaml(text)
    except NotYaml as error:
        raise BadSettings(f"the file is not YAML: {error}") from error
    known = ", ".join(f"'{name}'" for name in SettingsFile.model_fields)
    if not isinstance(document, dict) or not document:
        raise BadSettings(f"keys were expected, some of {known}", "rules")
    if "rules" in document and not isinstance(document["rules"], list):
        raise BadSettings("rules: a list of rules was expected", "rules")
    try:
        found = SettingsFile.model_validate(document)
    except ValidationError as error:
        first = error.errors()[0]
        field = ".".join(str(part) for part in first["loc"])
        words = f"there is no such key; there are {known}" if field in document else first["msg"]
        words = words if first["type"] == "extra_forbidden" else first["msg"].removeprefix("Value error, ")
        raise BadSettings(f"{field}: {words}", field) from error
    names = [rule.name for rule in found.rules or []]
    if twice := next((name for name in names if names.count(name) > 1), None):
        raise BadSettings(f"rules: two rules are named '{twice}'; a name is for one", "rules")
    return found


def read_rules(text: str) -> list[CaptureRule]:
    """The rules of a file that has nothing else."""
    found = read(text)
    if found.parts != ["rules"]:
        raise BadSettings("a key 'rules' with a list of rules was expected, and nothing else", "rules")
    return found.rules or []


def apply(store: Store, file: SettingsFile, now_us: int) -> None:
    """Follow all of a file, in one transaction; BadSettings when a part cannot be, and nothing is changed then."""
    with store.write() as session:
        if file.rules is not None:
            set_rules(session, file.rules, now_us)
        if file.limits is not None:
            set_limits(session, file.limits)
        if file.snapshots is not None:
            set_schedule(session, file.snapshots)
        for number, part in enumerate(file.servers or []):
            server = session.scalar(select(Server).where(Server.name == part.server))
            if server is None:
                field = f"servers.{number}.server"
                raise BadSettings(f"{field}: no server '{part.server}' is connected", field)
            try:
                change(session, server, part, now_us, OPERATOR)
            except GaugeError as error:
                raise BadSettings(f"servers.{number}.{error}", f"servers.{number}.{error.field}") from error


def as_yaml(
    rules: Sequence[CaptureRule] | None = None, limits: Limits | None = None, snapshots: Schedule | None = None,
    servers: Iterable[dict[str, Any]] | None = None,
) -> str:  # fmt: skip
    """A file that sets the same."""
    document: dict[str, Any] = {}
    if rules is not None:
        document["rules"] = [rule.as_document() for rule in rules]
    if limits is not None:
        document["limits"] = limits.model_dump(exclude_none=True)
    if snapshots is not None:
        document["snapshots"] = snapshots.as_document()
    if servers is not None:
        document["servers"] = list(servers)
    # line ends of Unicode and control characters have to be written as escapes
    plain = all(char.isprintable() for char in json.dumps(document, ensure_ascii=False))
    return yaml.safe_dump(document, sort_keys=False, allow_unicode=plain)


def as_set(session: Session) -> str:
    """A file of everything that is set."""
    servers = [as_document(server, named(session, server)) for server in session.scalars(connected())]
    return as_yaml(rules_of(session), limits_of(session), schedule_of(session), servers)


def named(session: Session, server: Server) -> Account | None:
    """The account that a server itself names."""
    return session.get(Account, server.account_id) if server.account_id is not None else None
