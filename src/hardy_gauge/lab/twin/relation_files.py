"""Files of an empty relation made to look as large as the watched server's are.

The planner asks a relation's files for their length, and the first page of a B-tree for its height; it reads nothing else of
them. Files are lengthened without being written (they take no space); a B-tree gets a tree of empty pages, one a level, so that
looking for its greatest value ends in an empty leaf. Page layout: "Database Page Layout" of PostgreSQL's documentation,
src/include/storage/bufpage.h and src/include/access/nbtree.h of its source (versions 13 to 18).
"""

from __future__ import annotations

import math
import os
import struct
from pathlib import Path

PAGE, SEGMENT_PAGES = 8192, 131_072
_HEADER, _SPECIAL = 24, 16
_LEAF, _ROOT = 1, 2
_MAGIC = 0x053162
_PIVOT_WITHOUT_KEY = 0x2000 | 8  # an entry of 8 bytes that is its link alone
INTERNAL_FILL = 0.7


def lengthen(first: Path, pages: int) -> None:
    """Make the files of a relation ``pages`` long in all; longer than a segment they go on in ``first.1``, ``first.2``."""
    segment = 0
    while segment == 0 or pages > 0:
        path = first if segment == 0 else first.with_name(f"{first.name}.{segment}")
        here = min(pages, SEGMENT_PAGES) * PAGE
        if not path.exists():
            path.touch(mode=0o600)
            owner = first.stat()
            if os.geteuid() == 0:
                os.chown(path, owner.st_uid, owner.st_gid)
        if here > path.stat().st_size:
            os.truncate(path, here)
        pages -= SEGMENT_PAGES
        segment += 1


def length(first: Path) -> int:
    """Pages of a relation's files in all."""
    later = [path for path in first.parent.glob(f"{first.name}.*") if path.suffix[1:].isdigit()]
    return sum(path.stat().st_size for path in (first, *later)) // PAGE


def resize(first: Path, pages: int) -> None:
    """Make the files of a relation ``pages`` long in all, longer or shorter than they are; none where they are gone."""
    if not first.exists():
        return
    lengthen(first, pages)
    segment = 0
    while (path := first if segment == 0 else first.with_name(f"{first.name}.{segment}")).exists():
        here = max(0, min(pages - segment * SEGMENT_PAGES, SEGMENT_PAGES)) * PAGE
        if segment > 0 and here == 0:
            path.unlink()
        elif here < path.stat().st_size:
            os.truncate(path, here)
        segment += 1


def tree_height(pages: int, key_bytes: float) -> int:
    """Levels above the leaves of a B-tree of so many pages; an entry of an upper page has a header and a pointer beside its key."""
    entry = 4 + math.ceil((8 + key_bytes) / 8) * 8
    a_page = max(2.0, (PAGE - _HEADER - _SPECIAL) * INTERNAL_FILL / entry)
    leaves = max(1, pages - 1)
    return 0 if leaves == 1 else math.ceil(math.log(leaves) / math.log(a_page) - 1e-9)


def grow_tree(first: Path, height: int) -> None:
    """Give an empty B-tree ``height`` levels above its leaf; its first page must be written."""
    with open(first, "r+b") as file:
        meta = bytearray(file.read(PAGE))
        (magic,) = struct.unpack_from("<I", meta, _HEADER)
        if magic != _MAGIC:
            raise ValueError(f"{first} does not begin as a B-tree does")
        root = height + 1
        struct.pack_into("<IIII", meta, _HEADER + 8, root, height, root, height)
        file.seek(0)
        file.write(meta)
        for level in range(height + 1):
            file.write(_page(level, level == height))


def _page(level: int, is_root: bool) -> bytes:
    """The page of a level, at block ``level + 1``; above the leaf it has one entry, which leads to the page below."""
    page = bytearray(PAGE)
    lower, upper = _HEADER, PAGE - _SPECIAL
    if level > 0:
        upper -= 8
        struct.pack_into("<HHHH", page, upper, level >> 16, level & 0xFFFF, 0, _PIVOT_WITHOUT_KEY)
        struct.pack_into("<I", page, lower, upper | 1 << 15 | 8 << 17)
        lower += 4
    struct.pack_into("<QHHHHHHI", page, 0, 0, 0, 0, lower, upper, PAGE - _SPECIAL, PAGE | 4, 0)
    flags = (_LEAF if level == 0 else 0) | (_ROOT if is_root else 0)
    struct.pack_into("<IIIHH", page, PAGE - _SPECIAL, 0, 0, level, flags, 0)
    return bytes(page)
