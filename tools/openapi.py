"""Write the application's OpenAPI document to build/openapi.json, from which the interface's types are made."""

from __future__ import annotations

import json
import tempfile
from pathlib import Path

from hardy_gauge.api.app import create_app
from hardy_gauge.settings import AppSettings
from hardy_gauge.store.database import Store

with tempfile.TemporaryDirectory() as folder:
    settings = AppSettings(data=Path(folder))
    store = Store(settings.store_path)
    document = create_app(settings, store).openapi()
    store.close()
out = Path(__file__).parents[1] / "build" / "openapi.json"
out.parent.mkdir(exist_ok=True)
out.write_text(json.dumps(document, indent=1) + "\n", encoding="utf-8")
