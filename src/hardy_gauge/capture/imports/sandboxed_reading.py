"""Files of others are read apart: in a process of its own with a ceiling of memory, that can read the file and nothing else.

``serve`` is the sandbox's side; the functions below it are called like those of ``reading``.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator
from contextlib import contextmanager
from dataclasses import asdict
from multiprocessing.connection import Connection
from pathlib import Path
from typing import Any

from hardy_gauge.capture.imports import reading
from hardy_gauge.capture.imports.columns import Kind, Layout
from hardy_gauge.capture.imports.import_batch import ImportBatch
from hardy_gauge.capture.imports.rejected_rows import ImportRefused, RejectedRows, of_document
from hardy_gauge.core.figures.formatting import size
from hardy_gauge.core.plans.document import plan_document
from hardy_gauge.core.plans.readers import read_document
from hardy_gauge.sandbox.frames import frame_of, pieces_of
from hardy_gauge.sandbox.limits import SandboxLimits
from hardy_gauge.sandbox.process import SandboxEnded, SandboxProcess
from hardy_gauge.sandbox.questions import questions, send_answer
from hardy_gauge.settings import AppSettings

FRAMES = ("executions", "statements", "figures")
POLL_S = 0.2
CPU_S = 3600


class Stopped(Exception):
    """Somebody stopped the import; nothing of it is stored."""


# in the sandbox ------------------------------------------------------------------------------------------------------


def serve(connection: Connection, _: Path) -> None:
    """Answer questions about one file until the connection is closed."""
    for asked in questions(connection):
        try:
            _answer(connection, asked)
        except ImportRefused as error:
            send_answer(connection, refused=error.detail, field=error.field)
        except MemoryError:
            send_answer(connection, memory=True)


def _answer(connection: Connection, asked: dict[str, Any]) -> None:
    path, name = Path(asked["path"]), asked["name"]
    if asked["do"] == "look":
        known = {key: Layout.model_validate(one) for key, one in asked["known"].items()}
        layout = None if asked["layout"] is None else Layout.model_validate(asked["layout"])
        found = reading.look(path, name, known, layout)
        if layout is None and asked["kind"] is not None and found.format == "table":
            found = reading.look(path, name, {}, reading.guessed(path, name, asked["kind"]))
        layout_out = None if found.layout is None else found.layout.model_dump()
        send_answer(connection, **asdict(found) | {"layout": layout_out, "rejected": found.rejected.document()})
        return
    wanted = reading.ImportRequest.model_validate(asked["wanted"])
    if asked["do"] == "check":
        reading.check(path, name, wanted)
        send_answer(connection, headings=reading.headings(path, name) if wanted.format == "table" else [])
        return
    rejected = RejectedRows()
    contents = reading.read(
        path, name, wanted, asked["now_us"], rejected, lambda words: send_answer(connection, said=words)
    )
    pieces = {
        (server, kind): list(pieces_of(getattr(batch, kind)))
        for server, batch in contents.batches.items()
        for kind in FRAMES
        if getattr(batch, kind).width
    }
    send_answer(
        connection,
        batches=[[server, batch.engine, batch.whole] for server, batch in contents.batches.items()],
        frames=[[server, kind, len(parts)] for (server, kind), parts in pieces.items()],
        plans=[[text, plan_document(plan)] for text, plan in contents.plans],
        workload=contents.workload,
        rejected=rejected.document(),
    )
    for parts in pieces.values():
        for part in parts:
            connection.send_bytes(part)


# outside -------------------------------------------------------------------------------------------------------------


def look(
    path: Path, name: str, known: dict[str, Layout], layout: Layout | None = None, kind: Kind | None = None
) -> reading.Look:
    """As ``reading.look``; ``kind`` alone asks for a new guess."""
    known_out = {key: one.model_dump() for key, one in known.items()}
    with _asked(
        path, name, do="look", known=known_out, layout=None if layout is None else layout.model_dump(), kind=kind
    ) as sandbox:  # fmt: skip
        found = _received(sandbox)
    fault = found["fault"]
    return reading.Look(
        found["format"], None if found["layout"] is None else Layout.model_validate(found["layout"]), found["headings"],
        found["sample"], found["rows_looked_at"], found["rows_accepted"], _rejected(found["rejected"]),
        None if fault is None else (fault[0], fault[1]),
    )  # fmt: skip


def check(path: Path, name: str, wanted: reading.ImportRequest) -> list[str]:
    """As ``reading.check``; returns the headings of a table."""
    with _asked(path, name, do="check", wanted=wanted.model_dump()) as sandbox:
        headings: list[str] = _received(sandbox)["headings"]
    return headings


def read(
    path: Path, name: str, wanted: reading.ImportRequest, now_us: int, rejected: RejectedRows,
    said: Callable[[str], None], stopped: Callable[[], bool],
) -> reading.Contents:  # fmt: skip
    """As ``reading.read``; Stopped as soon as ``stopped`` says so."""
    most = AppSettings().import_memory
    with _asked(path, name, do="read", wanted=wanted.model_dump(), now_us=now_us) as sandbox:
        found: dict[str, Any] = {"said": ""}
        while "said" in found:
            while not sandbox.waits(POLL_S):
                if stopped():
                    raise Stopped
            found = _received(sandbox)
            if "said" in found:
                said(str(found["said"]))
        batches = {server: ImportBatch(engine, whole) for server, engine, whole in found["batches"]}
        for server, kind, count in found["frames"]:
            if kind in FRAMES:
                setattr(batches[server], kind, frame_of(count, sandbox.receive_bytes, most))
    rejected.reasons.update(found["rejected"]["reasons"])
    rejected.listed.extend(of_document(found["rejected"]))
    plans = [(str(text), read_document(document)) for text, document in found["plans"]]
    return reading.Contents(batches, plans, found["workload"])


@contextmanager
def _asked(path: Path, name: str, **question: Any) -> Iterator[SandboxProcess]:
    """A sandbox that was asked about a file."""
    memory = AppSettings().import_memory
    limits = SandboxLimits(memory_bytes=memory, cpu_s=CPU_S, file_bytes=0)
    sandbox = SandboxProcess("import", limits, readable=[path.resolve()])
    try:
        sandbox.send({"path": str(path.resolve()), "name": name} | question)
        yield sandbox
    except SandboxEnded as error:
        raise ImportRefused(
            f"reading the file takes more than {size(memory)} of memory, or cannot be done: {error}; "
            "HARDY_GAUGE_IMPORT_MEMORY sets how much it may take"
        ) from error
    finally:
        sandbox.close()


def _received(sandbox: SandboxProcess) -> dict[str, Any]:
    found = sandbox.receive()
    if "refused" in found:
        raise ImportRefused(found["refused"], found["field"])
    if "memory" in found:
        raise SandboxEnded("its memory was not enough")
    return found


def _rejected(document: dict[str, Any]) -> RejectedRows:
    made = RejectedRows()
    made.reasons.update(document["reasons"])
    made.listed.extend(of_document(document))
    return made
