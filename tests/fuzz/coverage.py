"""Atheris (coverage-guided, after libFuzzer) over one reader of outside data: ``make fuzz`` runs it for each.

    python -m tests.fuzz.coverage NAME -runs=100000 -seed=1

What falls out of a reader is written to a file that begins with ``crash-``, with the bytes that did it.
"""

from __future__ import annotations

import sys
import tempfile
from pathlib import Path

import atheris

with atheris.instrument_imports(include=["hardy_gauge", "practice_fleet"]):
    from tests.fuzz.readers import IN_PROCESS, READERS


def main(name: str) -> None:
    """Fuzz one reader, from its true examples."""
    reader = READERS[name]
    with tempfile.TemporaryDirectory() as folder:
        home, corpus = Path(folder, "work"), Path(folder, "corpus")
        for made in (home, corpus):
            made.mkdir()
        for number, content in enumerate(reader.seeds()):
            (corpus / str(number)).write_bytes(content)
        options = [f"-artifact_prefix={Path.cwd()}/build/", "-rss_limit_mb=2048", "-timeout=20", "-print_final_stats=1"]
        atheris.Setup([sys.argv[0], *options, *sys.argv[2:], str(corpus)], lambda content: reader.tried(content, home))
        atheris.Fuzz()


if __name__ == "__main__":
    if sys.argv[1] == "list":
        print("\n".join(name.replace(" ", "_") for name in IN_PROCESS))
    else:
        main(sys.argv[1].replace("_", " "))
