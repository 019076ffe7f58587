"""The one reader of YAML: a ceiling of size and depth, no aliases, plain types only."""

from __future__ import annotations

import re
from typing import Any

import yaml

MOST_CHARACTERS = 4_000_000
MOST_DEPTH = 40
BOOL = "tag:yaml.org,2002:bool"


class Loader(getattr(yaml, "CSafeLoader", yaml.SafeLoader)):  # type: ignore[misc]
    """Reads booleans as YAML 1.2 does: "on", "off", "yes" and "no" are words."""


Loader.yaml_implicit_resolvers = {
    first: [(tag, pattern) for tag, pattern in found if tag != BOOL]
    for first, found in yaml.SafeLoader.yaml_implicit_resolvers.items()
}
Loader.add_implicit_resolver(BOOL, re.compile(r"^(?:true|True|TRUE|false|False|FALSE)$"), list("tTfF"))


class NotYaml(ValueError):
    """A text that cannot be read as YAML; ``line`` is where, counted from 1, and 0 where no line is to blame."""

    def __init__(self, words: str, line: int = 0) -> None:
        super().__init__(words)
        self.line = line


def read_yaml(text: str, most_characters: int = MOST_CHARACTERS) -> Any:
    """What a text says, as dicts, lists, texts, numbers and dates; None for an empty one. NotYaml says what is wrong.

    Aliases are refused: with them a few hundred bytes stand for gigabytes.
    """
    _check(text, most_characters)
    try:
        return yaml.load(text, Loader=Loader)
    except yaml.MarkedYAMLError as error:
        raise _marked(error) from error
    except (yaml.YAMLError, ValueError, OverflowError, RecursionError) as error:
        raise NotYaml(" ".join(str(error).split())[:300]) from error


def compose_yaml(text: str, most_characters: int = MOST_CHARACTERS) -> yaml.Node | None:
    """The nodes of a text with their lines, for errors that name one. NotYaml as ``read_yaml``."""
    _check(text, most_characters)
    try:
        return yaml.compose(text, Loader=Loader)
    except yaml.MarkedYAMLError as error:
        raise _marked(error) from error
    except (yaml.YAMLError, RecursionError) as error:
        raise NotYaml(" ".join(str(error).split())[:300]) from error


def _check(text: str, most_characters: int) -> None:
    if len(text) > most_characters:
        raise NotYaml(f"{len(text):,} characters; at most {most_characters:,} were expected")
    depth = 0
    try:
        for event in yaml.parse(text, Loader=Loader):
            line = event.start_mark.line + 1 if event.start_mark else 0
            if isinstance(event, yaml.AliasEvent) or getattr(event, "anchor", None) is not None:
                raise NotYaml(f"line {line}: anchors and aliases (& and *) are not read; write the part out", line)
            depth += isinstance(event, yaml.CollectionStartEvent) - isinstance(event, yaml.CollectionEndEvent)
            if depth > MOST_DEPTH:
                raise NotYaml(f"line {line}: more than {MOST_DEPTH} levels deep", line)
    except yaml.MarkedYAMLError as error:
        raise _marked(error) from error
    except (yaml.YAMLError, RecursionError) as error:
        raise NotYaml(" ".join(str(error).split())[:300]) from error


def _marked(error: yaml.MarkedYAMLError) -> NotYaml:
    line = error.problem_mark.line + 1 if error.problem_mark else 0
    words = error.problem or error.context or "not as expected"
    return NotYaml(f"line {line}: {words}" if line else words, line)
