"""Options that several commands have. What is not given comes from the environment, the configuration file, or its default."""

from __future__ import annotations

from pathlib import Path
from typing import Annotated

import typer

from hardy_gauge.settings import AppSettings

Data = Annotated[
    Path,
    typer.Option(
        help="Folder of the store; made if missing.", default_factory=lambda: AppSettings().data, show_default=False
    ),
]
"""Without it HARDY_GAUGE_DATA counts, then the configuration file, then the user's own data folder."""
