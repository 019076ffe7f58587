"""Run every benchmark, print the figures, and write build/bench.json."""

from __future__ import annotations

import json
from pathlib import Path

from benchmarks import (
    api,
    capture,
    diagnosis,
    fingerprints,
    imports,
    ledger,
    many_servers,
    practice,
    samples,
    simulation,
    trial_driver,
    trial_sheet,
    tuner,
    twin,
    watched_price,
)

OUT = Path("build/bench.json")


def main() -> None:
    found = {}
    for module in (
        fingerprints,
        samples,
        ledger,
        imports,
        simulation,
        practice,
        capture,
        diagnosis,
        many_servers,
        watched_price,
        twin,
        trial_driver,
        trial_sheet,
        tuner,
        api,
    ):
        name = module.__name__.rsplit(".", 1)[-1]
        found[name] = module.measure()
        print(name)
        for figure, value in found[name].items():
            print(f"  {figure:<42}{value:>16,.4g}")
    OUT.parent.mkdir(exist_ok=True)
    OUT.write_text(json.dumps(found, indent=1) + "\n", encoding="utf-8")


if __name__ == "__main__":
    main()
