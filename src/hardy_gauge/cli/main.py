"""The commands. Each verb is a module; this file only gathers them."""

from __future__ import annotations

import typer

from hardy_gauge.cli import agent, audit, bundle, capture, demo, imports, plan, serve, settings, trial

app = typer.Typer(
    no_args_is_help=True,
    help="Hardy Gauge captures what database servers wait for, explains it, and tries what would help.",
    epilog="Start with `hardy-gauge demo`: a made-up library's servers, with a trouble to find.",
)
app.command("demo")(demo.demo)
app.command("serve")(serve.serve)
app.command("capture")(capture.capture)
app.command("agent")(agent.agent)
app.command("trial")(trial.trial)
app.command("plan")(plan.plan)
app.add_typer(audit.app, name="audit")
app.add_typer(settings.app, name="settings")
app.add_typer(bundle.app, name="bundle")
app.add_typer(imports.app, name="import")
app.command("trial-worker", hidden=True)(trial.worker)

if __name__ == "__main__":
    app()
