"""A set of indexes as lines of a terminal."""

from __future__ import annotations

from hardy_gauge.core.figures.formatting import share, size
from hardy_gauge.core.indexes.sheet import IndexSet


def index_set_words(found: IndexSet) -> str:
    """All of it, for a terminal."""
    lines = [found.sentence, found.belief]
    for one in found.chosen:
        lines.append(
            f"  build {one.index}: {size(one.bytes)}, wins {share(one.adds_share)} of all time beside those before it"
        )
        lines.append(f"    {one.script}")
    lines += [f"  drop {one.name} of {one.table}: {one.why}" for one in found.drops]
    for loser in found.losers:
        why = f", {loser.why}" if loser.why else ""
        lines.append(f"  slower: {' '.join(loser.text.split())[:80]} ×{loser.ratio:.2f}{why}")
    return "\n".join(
        [*lines, *(f"  not known: {one}" for one in found.unknown), *(f"  {one}" for one in found.cautions)]
    )
