"""The set of indexes for what a server did, by its twin."""

from __future__ import annotations

from dataclasses import dataclass

from hardy_gauge.core.indexes.sheet import IndexSet
from hardy_gauge.core.narrative.index_words import basis_sentence, unknown_sentence
from hardy_gauge.core.proof.results import IndexProof
from hardy_gauge.diagnose.questions import RecordedFacts, planner_facts
from hardy_gauge.errors import InvalidInput, Unsupported
from hardy_gauge.lab.index_advice import advise_indexes
from hardy_gauge.lab.kept_twins import twins
from hardy_gauge.lab.made.fill import made_database
from hardy_gauge.lab.made.index_proof import CalledText, prove_indexes
from hardy_gauge.queries.index_workload import index_workload
from hardy_gauge.queries.reader import Reader
from hardy_gauge.queries.scope import server_named


@dataclass(frozen=True)
class IndexBasis:
    """What a set would be chosen for; ``problem`` why none can be, empty where one can."""

    server: str
    sentence: str
    statements: int
    tables: int
    problem: str


def index_basis(reader: Reader, server: str) -> IndexBasis:
    """NotFound where there is no such server. Nobody is asked."""
    try:
        _known(reader, server)
        work = index_workload(reader, server)
    except (Unsupported, InvalidInput) as error:
        return IndexBasis(server, unknown_sentence(server, error.detail), 0, 0, error.detail)
    statements, tables = len(work.statements), len(work.tables)
    return IndexBasis(server, basis_sentence(server, statements, tables), statements, tables, "")


def index_set_of(reader: Reader, server: str, bytes_: float, entries_per_s: float | None) -> IndexSet:
    """NotFound; Unsupported where what the server's planner knows was not recorded, or no twin can be made here."""
    known = _known(reader, server)
    work = index_workload(reader, server)
    with twins.using(*known) as folder:
        return advise_indexes(folder, work, bytes_, entries_per_s)


def _known(reader: Reader, server: str) -> RecordedFacts:
    known = planner_facts(reader.store, server_named(reader, server))
    if known is None:
        raise Unsupported(
            "what its planner knows was not recorded; that is recorded of PostgreSQL servers only", "server"
        )
    return known


def prove_index_set(reader: Reader, server: str, bytes_: float, entries_per_s: float | None) -> IndexProof:
    """The set for that budget, built on rows made from the server's statistics, with its workload called before and after. Raises as
    ``index_set_of``.
    """
    found, known, work = (
        index_set_of(reader, server, bytes_, entries_per_s),
        _known(reader, server),
        index_workload(reader, server),
    )
    texts = [CalledText(one.fingerprint, one.text, one.calls) for one in work.statements]
    undo = [one.undo for one in found.chosen] + [one.undo for one in found.drops]
    with made_database(known[3]()) as made:
        return prove_indexes(
            made, texts, [one.script for one in found.chosen], [one.script for one in found.drops], undo
        )  # fmt: skip
