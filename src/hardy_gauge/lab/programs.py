"""The PostgreSQL programs of this machine."""

from __future__ import annotations

import re
import shutil
import subprocess
from dataclasses import dataclass
from functools import cache
from pathlib import Path

from hardy_gauge.errors import Unsupported

LEAST = 13
PLACES = ("/usr/lib/postgresql/*/bin", "/usr/pgsql-*/bin", "/opt/homebrew/opt/postgresql@*/bin", "/usr/local/pgsql/bin")
NEEDED = ("initdb", "postgres")


@dataclass(frozen=True)
class Programs:
    """The programs of one major version, in ``folder``."""

    major: int
    folder: Path

    def path(self, name: str) -> str:
        return str(self.folder / name)


@cache
def found_programs() -> tuple[Programs, ...]:
    """Every version that is installed, from 13 on, newest first."""
    folders = [folder for pattern in PLACES for folder in sorted(Path("/").glob(pattern.lstrip("/")))]
    on_path = shutil.which("initdb")
    if on_path:
        folders.append(Path(on_path).resolve().parent)
    by_major: dict[int, Programs] = {}
    for folder in folders:
        if all((folder / name).is_file() for name in NEEDED):
            major = _major(folder)
            if major >= LEAST:
                by_major.setdefault(major, Programs(major, folder))
    return tuple(by_major[major] for major in sorted(by_major, reverse=True))


def _major(folder: Path) -> int:
    said = subprocess.run([folder / "postgres", "--version"], capture_output=True, text=True, timeout=20, check=False)
    found = re.search(r"(\d+)", said.stdout)
    return int(found[1]) if found else 0


def programs_for(major: int | None = None) -> Programs:
    """Those of a major version if they are there, otherwise the next newer ones, otherwise the newest."""
    known = found_programs()
    if not known:
        raise Unsupported(
            "no PostgreSQL programs are found on this machine; install PostgreSQL 13 or later, such as the packages "
            "postgresql and postgresql-contrib of Debian"
        )
    if major is None:
        return known[0]
    newer = [one for one in known if one.major >= major]
    return newer[-1] if newer else known[0]
