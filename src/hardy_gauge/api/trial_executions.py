"""Every execution of a trial as a file."""

from __future__ import annotations

import shutil
import tempfile
from pathlib import Path
from typing import Literal

from fastapi import APIRouter
from fastapi.responses import FileResponse
from starlette.background import BackgroundTask

from hardy_gauge.api.current import CurrentReader
from hardy_gauge.api.downloads import attachment
from hardy_gauge.api.problems import RowId
from hardy_gauge.load.executions_file import write_executions

router = APIRouter(tags=["trials"])
TYPES = {"parquet": "application/vnd.apache.parquet", "csv": "text/csv"}


@router.get(
    "/trials/{trial_id}/executions",
    response_class=FileResponse,
    responses={200: {"content": {key: {} for key in TYPES.values()}}},
)
def executions(trial_id: RowId, reader: CurrentReader, form: Literal["parquet", "csv"] = "parquet") -> FileResponse:
    """Every execution of the runs of a trial, one of the last 20: run, block, arm, statement, start and duration in seconds, failed."""
    folder = Path(tempfile.mkdtemp(prefix="hardy-gauge-executions-"))
    try:
        path = write_executions(reader.store, trial_id, folder, form)
    except BaseException:
        shutil.rmtree(folder, ignore_errors=True)
        raise
    gone = BackgroundTask(shutil.rmtree, folder, ignore_errors=True)
    return FileResponse(path, media_type=TYPES[form], headers=attachment(f"trial-{trial_id}.{form}"), background=gone)
