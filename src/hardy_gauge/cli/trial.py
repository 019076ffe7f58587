"""``hardy-gauge trial``: run a trial from its file."""

from __future__ import annotations

import json
import signal
import sys
from pathlib import Path
from types import FrameType
from typing import Annotated, Any

import typer

from hardy_gauge.cli.options import Data
from hardy_gauge.core.figures.formatting import counted, duration
from hardy_gauge.core.narrative.trials import changes_words, held_words
from hardy_gauge.errors import GaugeError
from hardy_gauge.load.design import TrialDesign, read_file
from hardy_gauge.load.kinds import enough_of, outcome_of
from hardy_gauge.load.targets import open_target, probe_for
from hardy_gauge.load.trial import RunResult, play_trial
from hardy_gauge.load.worker import end_with_parent, run_stored
from hardy_gauge.probes import outbound
from hardy_gauge.probes.protocol import Probe
from hardy_gauge.settings import AppSettings
from hardy_gauge.store.database import Store


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
) -> None:
    """Run control against candidates, interleaved, and say whether the difference is real.

    Example: hardy-gauge trial examples/compare-postgresql.yaml

    A trial states its goal first, changes one thing, and runs every arm once in each block. The ratios
    have 95% intervals; "plainly better" means that the whole interval is on the better side. Exit 2: it cannot be run; 3: it was stopped.
    """
    signal.signal(signal.SIGTERM, _stop)
    try:
        design = read_file(file)
        design = design.quick() if quick else design
        if plan:
            document = plan_document(design)
            typer.echo(json.dumps(document, indent=2) if as_json else document["sentence"])
            return
        outbound.policy().name([design.target.address] if design.target.address else [])
        target = open_target(design, _probe(design, data))
        try:
            results = play_trial(design, target, _say_nothing if as_json else _say, _progress, enough_of(design))
        finally:
            target.close()
    except GaugeError as error:
        if as_json:
            document = {
                "title": "The trial cannot be run as stated",
                "status": 422,
                "detail": str(error),
                "field": error.field,
            }
            typer.echo(json.dumps(document))
        else:
            typer.echo(str(error), err=True)
        raise typer.Exit(2) from None
    except KeyboardInterrupt:
        detail = "stopped before its last run; nothing of it is left running"
        typer.echo(
            json.dumps({"kind": design.kind, "verdict": "interrupted", "sentence": detail}) if as_json else detail,
            err=not as_json,
        )
        raise typer.Exit(3) from None
    result = document_of(design, results)
    typer.echo(json.dumps(result, indent=2) if as_json else table_of(result))


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
        **kept,
    }


def plan_document(design: TrialDesign) -> dict[str, Any]:
    """What it would do, and for how long at least."""
    runs, seconds = design.run.blocks * len(design.arms), design.run.seconds
    where = held_words(design.target.model_dump(exclude_none=True, mode="json"), design.workload.model_dump(mode="json"), seconds, design.run.blocks, design.run.seed, design.run.cold)  # fmt: skip
    changes = {arm.name: changes_words(arm.model_dump(mode="json")) for arm in design.arms}
    most = "At most " if design.kind == "as-needed" else ""
    sentence = f"{most}{counted(runs, 'run')} of {duration(seconds)}, {duration(runs * seconds)} in all and some seconds before each run. {where}"
    return {
        "kind": design.kind, "sentence": sentence, "runs": runs, "seconds_at_least": runs * seconds, "arms": changes, "cautions": design.cautions(),
    }  # fmt: skip


def _stop(_: int, __: FrameType | None) -> None:
    raise KeyboardInterrupt


def table_of(result: dict[str, Any]) -> str:
    lines = [result["title"], ""]
    for arm, groups in result["ratios"].items():
        lines.append(f"{arm} ÷ control")
        for of, metrics in groups.items():
            for metric, r in metrics.items():
                about = "goal's statement" if of == "goal" else "all statements"
                lines.append(
                    f"  {metric:<11}{about:<18}{r['ratio']:>8.3g}×  95% {r['low']:.3g} to {r['high']:.3g}  {r['outcome']}"
                )
    said = [v["sentence"] for v in result["verdicts"]] if result["kind"] == "compare" else [result["sentence"]]
    lines += ["", *said, *result["cautions"]]
    return "\n".join(lines)


def _probe(design: TrialDesign, data: Path) -> Probe | None:
    settings = AppSettings(data=data)
    if design.target.server is None or not settings.store_path.exists():
        return None
    store = Store(settings.store_path)
    found = probe_for(store, design.target)
    store.close()
    return found


def _say(result: RunResult) -> None:
    figures = result.goal
    text = f"{figures.get('throughput', 0):.1f}/s, p95 {duration(figures.get('p95', 0.0))}"
    typer.echo(f"block {result.planned.block + 1}, {result.planned.arm}: {text}", err=True)


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
