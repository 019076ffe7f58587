"""Every rule, in the order in which findings of equal share are listed. A new rule is one file and one line here."""

from hardy_gauge.core.advice.finding import Rule
from hardy_gauge.core.advice.rules.missing_index import MissingIndex

RULES: tuple[Rule, ...] = (MissingIndex(),)
