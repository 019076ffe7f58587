"""Since which version of an engine its pack asks for each figure, as a table for the documentation."""

from __future__ import annotations

import re

from hardy_gauge.probes.sqlpack.pack import Pack, Query

ALIAS = re.compile(r'(?<!NULL )\bAS\s+"?([a-z_]+(?:\.[\w:]+)?)"?(?=\s*(?:,|\n|FROM|$))', re.IGNORECASE)
PARTS = ("counters", "levels", "connections", "statements", "sessions", "table_counters", "index_counters", "sequences")


def version_words(pack: Pack, number: int) -> str:
    """ "14" of 140000; the oldest that is supported where there is no limit."""
    return str(max(number, pack.least_version) // 10_000)


def figures_since(pack: Pack) -> list[tuple[str, str, str]]:
    """Part, figure, and the version from which it is asked for, or the versions that it is asked of."""
    found: dict[tuple[str, str], list[tuple[int, int]]] = {}
    for part in PARTS:
        given = getattr(pack, part)
        for query in given if isinstance(given, list) else [given]:
            for since, before, sql in _spans(query):
                for name in dict.fromkeys(ALIAS.findall(sql)):
                    found.setdefault((part, name), []).append((since, before))
    rows = []
    for (part, name), spans in found.items():
        since, before = min(a for a, _ in spans), max(b for _, b in spans)
        words = (
            f"{version_words(pack, since)} on"
            if before >= 10**9
            else f"{version_words(pack, since)} to {before // 10_000 - 1}"
        )
        rows.append((part.replace("_", " "), name, words))
    return rows


def _spans(query: Query) -> list[tuple[int, int, str]]:
    """Versions and text of each variant; the first that fits a version is asked."""
    if query.sql:
        return [(0, 10**9, query.sql)]
    spans, upper = [], 10**9
    for variant in query.variants:
        spans.append((variant.since, min(upper, variant.before), variant.sql))
        upper = min(upper, variant.since) if variant.since else upper
    return spans


def pack_table(pack: Pack) -> str:
    """Markdown: the figures that need a later version than the oldest, and how many are there from it on."""
    rows = figures_since(pack)
    usual = f"{pack.least_version_words} on"
    later = [row for row in rows if row[2] != usual]
    lines = [f"| {part} | `{name}` | {words} |" for part, name, words in later]
    return "\n".join([
        f"From version {pack.least_version_words} on {len(rows) - len(later)} figures are asked for; these differ:", "",
        "| of | figure | version |", "|---|---|---|", *lines, "",
    ])  # fmt: skip
