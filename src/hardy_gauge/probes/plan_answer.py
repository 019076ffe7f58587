"""A plan that a reader understood, as the protocol's answer."""

from __future__ import annotations

from hardy_gauge.core.plans.document import plan_document
from hardy_gauge.core.plans.model import Plan
from hardy_gauge.probes.protocol import Explained


def answer(plan: Plan) -> Explained:
    """The whole plan; its key is the hash of its shape."""
    return Explained.model_validate(plan_document(plan))
