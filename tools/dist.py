"""Build the wheel and the sdist with the built interface in them: ``make dist`` leaves them in build/dist."""

from __future__ import annotations

import shutil
import sys
import tempfile
from pathlib import Path

from build import ProjectBuilder

ROOT = Path(__file__).parents[1]
OUT = ROOT / "build" / "dist"
FILES = ("pyproject.toml", "README.md", "LICENSE", "CHANGELOG.md", "src")


def main(out: Path = OUT) -> list[Path]:
    """From a copy, so that the working copy stays as it is; returns the two files."""
    if not (ROOT / "web" / "dist" / "index.html").exists():
        sys.exit("web/dist: the interface is not built; run `make setup` first")
    with tempfile.TemporaryDirectory() as folder:
        for name in FILES:
            source, target = ROOT / name, Path(folder, name)
            left_out = shutil.ignore_patterns("__pycache__", "*.egg-info")
            shutil.copytree(source, target, ignore=left_out) if source.is_dir() else shutil.copy(source, target)
        shutil.copytree(ROOT / "web" / "dist", Path(folder, "src", "hardy_gauge", "interface"))
        builder = ProjectBuilder(folder)
        return [Path(builder.build(kind, str(out))) for kind in ("wheel", "sdist")]


if __name__ == "__main__":
    for made in main():
        print(f"{made.relative_to(ROOT)}: {made.stat().st_size:,} bytes")
