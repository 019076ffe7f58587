"""Readers of plan formats: each has ``matches(document)`` and ``read(document)``."""

from __future__ import annotations

import json

from hardy_gauge.core.plans.model import MalformedPlan, Plan
from hardy_gauge.core.plans.own_time import fill_own_times
from hardy_gauge.core.plans.readers import postgresql, protocol, sqlite

READERS = (protocol, postgresql, sqlite)


def read_plan(text: str) -> Plan:
    """A plan from JSON in any known format, own times filled in; MalformedPlan says what is wrong."""
    try:
        document = json.loads(text)
    except (ValueError, RecursionError) as error:
        raise MalformedPlan(f"not JSON: {error}") from error
    return read_document(document)


def read_document(document: object) -> Plan:
    """A plan from a decoded document, own times filled in."""
    for reader in READERS:
        if reader.matches(document):
            try:
                return fill_own_times(reader.read(document))
            except (KeyError, TypeError, ValueError, AttributeError, IndexError) as error:
                if isinstance(error, MalformedPlan):
                    raise
                raise MalformedPlan(f"the {reader.NAME} plan has a step that cannot be read: {error!r}") from error
    known = ", ".join(reader.NAME for reader in READERS)
    raise MalformedPlan(f"the document is no plan of a known format ({known}); see docs/formats.md")
