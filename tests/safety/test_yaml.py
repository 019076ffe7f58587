"""High 3: YAML has a ceiling of size and depth and no aliases, wherever it comes in."""

from __future__ import annotations

import ast
import tracemalloc
from pathlib import Path

import httpx
import pytest

from hardy_gauge.yaml_text import MOST_CHARACTERS, NotYaml, read_yaml
from tests.conftest import ROOT

LAUGHS = "a: &a [x, x, x, x, x, x, x, x, x]\n" + "".join(
    f"{b}: &{b} [{', '.join([f'*{a}'] * 9)}]\n" for a, b in zip("abcdefgh", "bcdefghi", strict=True)
)
HOSTILE = {
    "aliases": LAUGHS, "one anchor": "a: &a 1", "deep": "[" * 100_000, "deep blocks": "".join(f"{' ' * n}a:\n" for n in range(200)),
    "large": "a: " + "x" * MOST_CHARACTERS, "objects": "!!python/object/apply:os.system ['true']", "digits": f"a: {'9' * 5000}",
    "bytes": "a: \x00", "merge": "<<: *a",
}  # fmt: skip


@pytest.mark.parametrize("name", HOSTILE)
def test_hostile_texts_are_refused_cheaply(name: str) -> None:
    tracemalloc.start()
    with pytest.raises(NotYaml):
        read_yaml(HOSTILE[name])
    assert tracemalloc.get_traced_memory()[1] < 20_000_000
    tracemalloc.stop()


def test_over_the_api(people: dict[str, httpx.Client]) -> None:
    text = {"headers": {"content-type": "text/plain"}}
    for hostile in (LAUGHS, "rules: " + "[" * 5000):
        rules = people["engineer"].put("/api/capture-rules/yaml", content=hostile, **text)
        assert rules.status_code == 422, rules.text
        read = people["viewer"].post("/api/connections/read", content="servers: " + hostile, **text)
        assert read.status_code == 200 and read.json()["servers"] == []
    assert people["viewer"].get("/api/health").status_code == 200


def test_there_is_one_reader() -> None:
    """No other module loads YAML."""
    for path in (ROOT / "src").rglob("*.py"):
        calls = {n.attr for n in ast.walk(ast.parse(path.read_text())) if isinstance(n, ast.Attribute)}
        assert path == Path(ROOT / "src/hardy_gauge/yaml_text.py") or not calls & {
            "safe_load",
            "compose",
            "CSafeLoader",
        }, path
