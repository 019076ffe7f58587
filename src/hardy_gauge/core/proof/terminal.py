"""A proof of another text, as a terminal shows it."""

from __future__ import annotations

from hardy_gauge.core.figures.formatting import counted
from hardy_gauge.core.proof.results import Proof


def proof_words(found: Proof) -> str:
    """The sentence, the rows that differ with the values they came with, and on what it was run."""
    lines = [found.sentence]
    for one in found.differences:
        values = ", ".join("NULL" if value is None else value for value in one.values) or "no values"
        lines.append(
            f"with {values}: {counted(one.compared.first_rows, 'row')}, and {counted(one.compared.second_rows, 'row')}"
        )
        for side, some in (("old", one.compared.only_first), ("new", one.compared.only_second)):
            for other in some:
                row = ", ".join("NULL" if value is None else value for value in other.row)
                lines.append(f"  {other.more} more in the {side}: {row}")
    return "\n".join([*lines, found.basis, *(f"  {caution}" for caution in found.cautions)])
