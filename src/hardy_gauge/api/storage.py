"""What recording costs, and its limits."""

from __future__ import annotations

from fastapi import APIRouter, Request
from pydantic import BaseModel

from hardy_gauge.api.current import CurrentReader
from hardy_gauge.capture.settings_file import COMMAND, as_yaml
from hardy_gauge.queries.reader import Reader
from hardy_gauge.queries.storage import StorageUse, storage_use
from hardy_gauge.store.limits import Limits, set_limits

router = APIRouter(tags=["storage"], prefix="/storage")


class Storage(BaseModel):
    """The price of recording, and the file that sets the same limits."""

    use: StorageUse
    yaml: str
    command: str


def _storage(reader: Reader) -> Storage:
    use = storage_use(reader)
    return Storage(use=use, yaml=as_yaml(limits=use.limits), command=COMMAND)


@router.get("")
def storage(reader: CurrentReader) -> Storage:
    return _storage(reader)


@router.put("/limits")
def limits(request: Limits, reader: CurrentReader, http: Request) -> Storage:
    """Ages and size; what is past them goes at the next clean-up, within ten minutes."""
    with reader.store.write() as session:
        set_limits(session, request)
    http.app.state.poke()
    return _storage(reader)
