"""Bodies that are files: written as they come, gone again when the request is over."""

from __future__ import annotations

import secrets
from collections.abc import AsyncIterator
from contextlib import asynccontextmanager
from pathlib import Path

from fastapi import Request
from starlette.concurrency import run_in_threadpool


@asynccontextmanager
async def uploaded(request: Request, folder: Path) -> AsyncIterator[Path]:
    """The request's body in a file of ``folder``. How large it may be is a matter of ``body_limits``."""
    await run_in_threadpool(folder.mkdir, mode=0o700, parents=True, exist_ok=True)
    path = folder / f"coming-{secrets.token_hex(8)}"
    try:
        with path.open("wb") as file:
            async for block in request.stream():
                await run_in_threadpool(file.write, block)
        yield path
    finally:
        await run_in_threadpool(path.unlink, missing_ok=True)
