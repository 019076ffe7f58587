"""The built front end as files: compressed once, and kept by browsers, for their names change with what is in them."""

from __future__ import annotations

import gzip
from functools import lru_cache
from os import PathLike, stat_result
from pathlib import Path

from fastapi import Response
from fastapi.staticfiles import StaticFiles
from starlette.datastructures import Headers
from starlette.types import Scope

COMPRESSED = {".js", ".css", ".svg", ".json"}  # fonts and pictures are so already
FOR_EVER = "public, max-age=31536000, immutable"


class BuiltFiles(StaticFiles):
    """Files whose names hold a digest of their content."""

    def file_response(
        self, full_path: str | PathLike[str], stat_result: stat_result, scope: Scope, status_code: int = 200
    ) -> Response:
        response = super().file_response(full_path, stat_result, scope, status_code)
        response.headers["cache-control"] = FOR_EVER
        path = Path(full_path)
        if path.suffix not in COMPRESSED or response.status_code != 200:
            return response
        response.headers["vary"] = "accept-encoding"
        if "gzip" not in Headers(scope=scope).get("accept-encoding", ""):
            return response
        headers = {
            name: value for name, value in response.headers.items() if name not in ("content-length", "accept-ranges")
        }
        body = _compressed(path, stat_result.st_mtime_ns)
        return Response(body, headers=headers | {"content-encoding": "gzip"})


@lru_cache(maxsize=500)
def _compressed(path: Path, _: int) -> bytes:
    return gzip.compress(path.read_bytes(), 9, mtime=0)
