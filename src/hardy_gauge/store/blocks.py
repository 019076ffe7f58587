"""Columnar blocks as they lie in the store: Parquet behind a check sum (CRC-32, as in ISO/IEC 13239).

Blocks of before have none and begin with Parquet's own mark.
"""

from __future__ import annotations

import io
import zlib

import polars as pl

from hardy_gauge.errors import GaugeError

MARK = b"HGB1"
PARQUET = b"PAR1"
HEAD = len(MARK) + 4


class DamagedBlock(GaugeError):
    """A stored block is not what was written."""

    title = "A stored block is damaged"


def encode(frame: pl.DataFrame) -> bytes:
    """A frame as Parquet, for files that others read."""
    buffer = io.BytesIO()
    frame.write_parquet(buffer, compression="zstd", statistics=False, row_group_size=1 << 20)
    return buffer.getvalue()


def encode_block(frame: pl.DataFrame) -> bytes:
    """A frame as a block with its check sum."""
    content = encode(frame)
    return MARK + zlib.crc32(content).to_bytes(4, "little") + content


def verified_content(body: bytes) -> bytes:
    """The Parquet of a block; DamagedBlock when it is not what was written."""
    if body.startswith(PARQUET) and body.endswith(PARQUET):
        return body
    if not body.startswith(MARK):
        raise DamagedBlock("its beginning is not that of a block")
    content = body[HEAD:]
    if zlib.crc32(content).to_bytes(4, "little") != body[len(MARK) : HEAD]:
        raise DamagedBlock("its check sum is not that of its content")
    return content


def decode_block(body: bytes) -> pl.DataFrame:
    """The frame of a block; DamagedBlock when it cannot be read."""
    content = verified_content(body)
    try:
        return pl.read_parquet(io.BytesIO(content))
    except (pl.exceptions.PolarsError, pl.exceptions.PanicException) as error:
        raise DamagedBlock(f"it cannot be read: {' '.join(str(error).split())[:200]}") from error
