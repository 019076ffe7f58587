"""Read a scenario file; every mistake is named with its line and with what would be right."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path

import yaml
from pydantic import ValidationError
from pydantic_core import ErrorDetails

from hardy_gauge.yaml_text import NotYaml, compose_yaml, read_yaml
from practice_fleet.scenario.document import Scenario
from practice_fleet.scenario.units import Misplaced

FOLDER = Path(__file__).parents[1] / "scenarios"


class ScenarioError(Exception):
    """A scenario file that cannot be used; the message has one line a mistake."""


def load_scenario(path: Path) -> Scenario:
    """Read and check a scenario file; ScenarioError says what is wrong, where, and what would be right."""
    try:
        text = path.read_text(encoding="utf-8")
    except OSError as error:
        raise ScenarioError(f"{path}: {error.strerror}") from error
    except UnicodeDecodeError as error:
        raise ScenarioError(f"{path.name}: not text as UTF-8: {error.reason} at byte {error.start}") from error
    try:
        root = compose_yaml(text)
        return Scenario.model_validate(read_yaml(text))
    except NotYaml as error:
        where = f"{path.name}:{error.line}" if error.line else path.name
        raise ScenarioError(f"{where}: not YAML: {error}") from error
    except ValidationError as error:
        lines = [
            f"{path.name}:{_line(root, at)}: {_where(at)}: {_remedy(e)}" for e in error.errors() for at in [_loc(e)]
        ]
        raise ScenarioError("\n".join(lines)) from error


def line_of(path: Path, *loc: int | str) -> int:
    """The line of a part of a scenario file that could be read."""
    return _line(compose_yaml(path.read_text(encoding="utf-8")), loc)


def shipped(name: str = "quillhaven") -> Path:
    """The path of a scenario that ships with the package."""
    return FOLDER / f"{name}.yaml"


def _loc(error: ErrorDetails) -> tuple[int | str, ...]:
    found = error.get("ctx", {}).get("error")
    return error["loc"] + (found.loc if isinstance(found, Misplaced) else ())


def _where(loc: Sequence[int | str]) -> str:
    return ".".join(str(part) for part in loc) or "scenario"


def _line(node: yaml.Node | None, loc: Sequence[int | str]) -> int:
    """The line of the innermost part of ``loc`` that the file has."""
    line = 1
    for part in loc:
        if isinstance(node, yaml.MappingNode):
            found = next(((key, value) for key, value in node.value if key.value == str(part)), None)
            if found is None:  # a missing key, or the name of a kind that the file does not spell out
                continue
            line, node = found[0].start_mark.line + 1, found[1]
        elif isinstance(node, yaml.SequenceNode) and isinstance(part, int) and part < len(node.value):
            node = node.value[part]
            line = node.start_mark.line + 1
    return line


def _remedy(error: ErrorDetails) -> str:
    message = error["msg"].removeprefix("Value error, ")
    if error["type"] == "extra_forbidden":
        return "no such key; see docs/practice-fleet.md for the keys there are"
    if error["type"] == "missing":
        return "this key is missing"
    given = error["input"]
    return message if isinstance(given, dict | list) else f"{message} (it is {given!r})"
