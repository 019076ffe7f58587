"""Answers that a browser saves as a file."""

from __future__ import annotations

from urllib.parse import quote


def attachment(name: str) -> dict[str, str]:
    """Headers for a file of this name, whatever its letters are (RFC 6266, RFC 8187)."""
    plain = "".join(c if c.isascii() and (c.isalnum() or c in "-_. ") else "_" for c in name)
    return {"content-disposition": f"attachment; filename=\"{plain}\"; filename*=UTF-8''{quote(name, safe='')}"}
