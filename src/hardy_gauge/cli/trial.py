"""``hardy-gauge trial``: run a trial from its file."""

from __future__ import annotations

import json
import signal
import sys
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import asdict
from pathlib import Path
from types import FrameType
from typing import Annotated, Any

import typer
from sqlalchemy import select

from hardy_gauge.capture.access import OPERATOR
from hardy_gauge.cli.failing import fail
from hardy_gauge.cli.options import Data
from hardy_gauge.core.figures.formatting import duration
from hardy_gauge.core.narrative.trials import INTERRUPTED
from hardy_gauge.errors import GaugeError
from hardy_gauge.load.design import TrialDesign, read_file
from hardy_gauge.load.earlier_result import earlier_document, read_earlier
from hardy_gauge.load.executions_file import ExecutionsFile
from hardy_gauge.load.kinds import enough_of, outcome_of
from hardy_gauge.load.playing import play_trial
from hardy_gauge.load.postgres.way_back import watch_over
from hardy_gauge.load.targets import Fleet, open_target
from hardy_gauge.load.trial import RunResult
from hardy_gauge.load.words import plan_of
from hardy_gauge.load.worker import end_with_parent, run_stored
from hardy_gauge.probes import outbound
from hardy_gauge.settings import AppSettings
from hardy_gauge.store.database import Store
from hardy_gauge.store.models import Server
from hardy_gauge.store.trial_models import WayBack


def trial(
    data: Data,
    file: Annotated[Path, typer.Argument(help="Trial as YAML; see docs/formats.md and examples/.")],
    as_json: Annotated[
        bool, typer.Option("--json", help="Print JSON: arms, runs, ratios, intervals, verdict.")
    ] = False,
    quick: Annotated[
        bool, typer.Option(help="In a small size: three blocks of short runs, which show only what is plain.")
    ] = False,
    plan: Annotated[bool, typer.Option(help="Say what it would do and how long that takes, and do nothing.")] = False,
    executions: Annotated[
        Path | None, typer.Option(help="Write every execution to this file; .parquet or .csv.")
    ] = None,
    against: Annotated[
        Path | None, typer.Option(help="Of queries: compare with what an earlier run printed with --json.")
    ] = None,
) -> None:
    """Run a trial of any kind: candidates against a control, a sweep, a search, and say what is shown.

    Example: hardy-gauge trial examples/compare-postgresql.yaml

    A trial states its goal first, changes one thing, and runs every arm once in each block. The ratios
    have 95% intervals; "plainly better" means that the whole interval is on the better side. Exit 2: it cannot be run; 3: it was stopped.
    """
    signal.signal(signal.SIGTERM, _stop)
    kept = ExecutionsFile(executions, _say_nothing if as_json else _say)
    try:
        kept.check()
        design = read_file(file)
        design = design.quick() if quick else design
        earlier = read_earlier(against, design)
        if plan:
            found = plan_of(design)
            typer.echo(json.dumps(asdict(found), indent=2) if as_json else found.sentence)
            return
        outbound.policy().name([design.target.address] if design.target.address else [])
        with _fleet(design, data) as fleet:
            target = open_target(design, fleet)
            try:
                results = play_trial(design, target, kept.add, _progress, enough_of(design))
            finally:
                target.close()
    except GaugeError as error:
        fail(error, as_json)
    except KeyboardInterrupt:
        document = {"kind": design.kind, "verdict": "interrupted", "sentence": INTERRUPTED}
        typer.echo(json.dumps(document) if as_json else INTERRUPTED, err=not as_json)
        raise typer.Exit(3) from None
    result = document_of(design, results)
    if earlier is not None:
        result |= earlier_document(design, results, earlier)
    typer.echo(json.dumps(result, indent=2) if as_json else table_of(result))
    try:
        kept.write()
    except GaugeError as error:
        fail(error, as_json=False)


def document_of(design: TrialDesign, results: list[RunResult]) -> dict[str, Any]:
    """What --json prints: the evaluation with every run."""
    found = outcome_of(design, results)
    kept: dict[str, Any] = {str(design.kind): found[design.kind]} if design.kind in found else {}
    return {
        "kind": found["kind"],
        "title": design.title,
        "goal": design.goal.model_dump(),
        "arms": found["arms"],
        "runs": [r.as_dict() for r in results],
        "ratios": {c["arm"]: c["ratios"] for c in found["candidates"]},
        "verdicts": [{k: v for k, v in c.items() if k != "ratios"} for c in found["candidates"]],
        "verdict": found["verdict"],
        "sentence": found["sentence"],
        "settings_in_force": {arm["arm"]: arm["settings_in_force"] for arm in found["arms"]},
        "cautions": found["cautions"],
        "notes": found["notes"],
        "checks": found["checks"],
        "mix": found["mix"],
        "plans": found["plans"],
        **kept,
    }


def _stop(_: int, __: FrameType | None) -> None:
    raise KeyboardInterrupt


def table_of(result: dict[str, Any]) -> str:
    lines, intervals = [result["title"], ""], {one["arm"]: one["interval"] for one in result["verdicts"]}
    for arm, groups in result["ratios"].items():
        lines.append(f"{arm} ÷ control")
        for of, metrics in groups.items():
            for metric, r in metrics.items():
                about = "goal's statement" if of == "goal" else "all statements"
                lines.append(
                    f"  {metric:<11}{about:<18}{r['ratio']:>8.3g}×  {intervals[arm]} {r['low']:.3g} to {r['high']:.3g}  {r['outcome']}"
                )
    said = [v["sentence"] for v in result["verdicts"]] if result["kind"] == "compare" else [result["sentence"]]
    plans = result["plans"] or {"sentence": "", "other": []}
    said += [
        plans["sentence"],
        *(f"  {one['arm']}, statement {one['statement']}: {one['sentence']}" for one in plans["other"]),
    ]
    lines += [
        "",
        *filter(None, said),
        *([result["against"]["sentence"]] if "against" in result else []),
        *result["cautions"],
        *result["notes"],
    ]
    return "\n".join(lines)


@contextmanager
def _fleet(design: TrialDesign, data: Path) -> Iterator[Fleet | None]:
    """Where servers of the fleet are found, for a trial on one."""
    settings = AppSettings(data=data)
    made = design.target.postgresql
    named = design.target.server or (made.server if made and not made.bundle else None)
    if named is None or not settings.store_path.exists():
        yield None
        return
    store = Store(settings.store_path)
    with store.read() as session:
        addresses = list(session.scalars(select(Server.address).where(Server.name == named)))
    outbound.policy().name(addresses)  # whoever starts it here names the server
    try:
        yield Fleet(store, OPERATOR)
    finally:
        store.close()


def _say(result: RunResult) -> None:
    figures = result.goal
    text = f"{figures.get('throughput', 0):.1f}/s, p95 {duration(figures.get('p95', 0.0))}"
    block = result.planned.block
    where = "search" if block < 0 else f"block {block + 1}"
    typer.echo(f"{where}, {result.planned.arm}: {text}", err=True)


def _say_nothing(_: RunResult) -> None:
    return


def _progress(done: float) -> bool:
    if sys.stderr.isatty():
        typer.echo(f"\r{done:.0%} ", nl=False, err=True)
    return True


def worker(trial_id: int, data: Data) -> None:
    """Run a stored trial (started by the application)."""
    end_with_parent()
    store = Store(AppSettings(data=data).store_path)
    try:
        run_stored(store, trial_id)
    finally:
        store.close()


def guard(way_back: int, data: Data) -> None:
    """Set a server back when the process of its trial is gone (started by the trial)."""
    signal.signal(signal.SIGINT, signal.SIG_IGN)
    store = Store(AppSettings(data=data).store_path)
    try:
        with store.read() as session:
            row = session.get_one(WayBack, way_back)
            address = session.get_one(Server, row.server_id).address
        outbound.policy().name([address])
        watch_over(store, way_back)
    finally:
        store.close()
