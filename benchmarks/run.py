"""Run every benchmark, or those that are named, print each figure beside what is wanted of it, and write build/bench.json."""

from __future__ import annotations

import importlib
import json
import sys
from pathlib import Path

from benchmarks.goals import shown

OUT = Path("build/bench.json")
ALL = (
    "fingerprints", "samples", "ledger", "imports", "simulation", "practice", "capture", "diagnosis", "many_servers",
    "watched_price", "twin", "trial_driver", "trial_sheet", "tuner", "demo", "growth",
)  # fmt: skip


def main(names: list[str]) -> None:
    unknown = sorted(set(names) - set(ALL))
    if unknown:
        raise SystemExit(f"no benchmark {', '.join(unknown)}: there are {', '.join(ALL)}")
    found = json.loads(OUT.read_text(encoding="utf-8")) if OUT.exists() else {}
    OUT.parent.mkdir(exist_ok=True)
    for name in names or ALL:
        module = importlib.import_module(f"benchmarks.{name}")
        found[name] = module.measure()
        print(name, shown(found[name], getattr(module, "GOALS", {})), sep="\n", flush=True)
        OUT.write_text(json.dumps(found, indent=1) + "\n", encoding="utf-8")


if __name__ == "__main__":
    main(sys.argv[1:])
