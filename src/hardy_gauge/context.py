"""Values that hold within a context, such as who acts and which servers are within reach."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager
from contextvars import ContextVar
from typing import TypeVar

T = TypeVar("T")


@contextmanager
def holding(variable: ContextVar[T], value: T) -> Iterator[None]:
    """The variable has this value within, and what it had before afterwards."""
    token = variable.set(value)
    try:
        yield
    finally:
        variable.reset(token)
