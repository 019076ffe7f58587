"""Texts of which there are few and that stand in many rows are stored as places in a list of them (Polars' ``Categorical``): millions of
session samples are read, filtered and counted by small numbers, and take a quarter of the memory.

The list is one for the whole process and is never given up, so texts without end stay plain: those of a block in which many
differ, and all of a column that has met a place beyond ``MOST_TEXTS``.
"""

from __future__ import annotations

from collections.abc import Sequence

import polars as pl

CODED: dict[str, frozenset[str]] = {
    "sample": frozenset({"wait_event", "wait_family", "object", "user", "service", "route", "database", "client"}),
}
WORTH_ROWS = 1000  # the list of a block's texts takes half a kilobyte
MOST_OF_BLOCK = 1000
MOST_TEXTS = 200_000

_endless: set[str] = set()


def stored_texts(kind: str, frame: pl.DataFrame) -> pl.DataFrame:
    """The frame as its block is stored: with codes for texts that repeat."""
    if len(frame) < WORTH_ROWS:
        return frame
    return _coded(frame, [name for name in _texts(kind, frame) if frame[name].n_unique() <= MOST_OF_BLOCK])


def coded(kind: str, frame: pl.DataFrame) -> pl.DataFrame:
    """The frame with the texts of its kind as codes, but for columns of which there is no end."""
    found = _coded(frame, [name for name in _texts(kind, frame) if name not in _endless])
    for name, dtype in found.schema.items():
        if dtype == pl.Categorical and name not in _endless:
            greatest = found[name].to_physical().max()
            if isinstance(greatest, int) and greatest > MOST_TEXTS:
                _endless.add(name)
    return _plain(found, _endless)


def spelt_out(frame: pl.DataFrame) -> pl.DataFrame:
    """The frame with plain texts."""
    return _plain(frame, frame.columns)


def one_after_the_other(frames: Sequence[pl.DataFrame]) -> pl.DataFrame:
    """All rows; a column that is plain in one of the frames is plain in all, and one that a frame lacks is null there."""
    if _endless:
        frames = [_plain(frame, _endless) for frame in frames]
    return pl.concat(frames, how="diagonal")


def _texts(kind: str, frame: pl.DataFrame) -> list[str]:
    return [c for c, dtype in frame.schema.items() if dtype == pl.String and c in CODED.get(kind, ())]


def _coded(frame: pl.DataFrame, names: Sequence[str]) -> pl.DataFrame:
    return frame.with_columns(pl.col(names).cast(pl.Categorical)) if names else frame


def _plain(frame: pl.DataFrame, names: Sequence[str] | set[str]) -> pl.DataFrame:
    places = [c for c, dtype in frame.schema.items() if dtype == pl.Categorical and c in names]
    return frame.with_columns(pl.col(places).cast(pl.String)) if places else frame
