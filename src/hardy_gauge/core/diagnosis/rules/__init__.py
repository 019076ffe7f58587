"""Every rule, in the order in which findings of equal share are listed. A new rule is one file and one line here."""

from hardy_gauge.core.diagnosis.rules.access.missing_index import MissingIndex
from hardy_gauge.core.diagnosis.runner import Rule

RULES: tuple[Rule, ...] = (MissingIndex(),)
